import {
  drawNumber,
  mayAskPhones,
  PUSH_PAUSE_MS,
  PUSH_REQUEST_LIFE_MS,
  type LatelyAsked,
} from '@nimble-latch/core/push';
import { advance, verificationFor, wantsPhones, type SignIn, type Waits } from '@nimble-latch/core/signin';
import type { Lane } from '@nimble-latch/core/throttle';
import type { Id } from '@nimble-latch/core/vocabulary';
import { pushRequests } from '../push/push-request.model.js';
import { wakePhones } from '../push/wake.js';
import {
  insertion,
  select,
  selectOne,
  selectOneToWrite,
  selectToWrite,
  write,
  type Statement,
} from '../../platform/db/sql.js';
import type { Plan } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId } from '../../platform/ids.js';
import { standingOf } from './lanes.js';
import type { StoredSignIn } from './stored.js';

type Asking = Pick<StoredSignIn, 'id' | 'personId' | 'decoyId' | 'applicationId' | 'sourceAddress' | 'browser'>;

interface LatelyRow {
  id: Buffer;
  application_id: Buffer | null;
  source: Buffer | null;
  browser: string | null;
  state: LatelyAsked['state'];
  lane: LatelyAsked['lane'];
  created_at: Date;
  valid_until: Date;
}

/** Looked at: more than that in a quarter of an hour is too many anyway. */
const LOOKED_AT = 50;
const LATELY = `SELECT id, application_id, source, browser, state, lane, created_at, valid_until FROM push_requests
  WHERE person_id = :person AND sign_in_id IS NOT NULL AND created_at > :since ORDER BY created_at DESC LIMIT ${LOOKED_AT}`;

/**
 * A sign-in that asks for an approval asks the person's phones, once; the number that is to be compared is drawn here. Nobody, and somebody
 * without a phone, looks the same from outside: a number is shown, and nothing answers. Where too much was asked of somebody, or they have
 * just said no, whoever has proved something already is asked for something else, and anybody else waits for nothing. Of many that ask at
 * the same moment each counts those before it.
 */
export async function askingPhones(deps: Deps, plan: Plan, asking: Asking, signIn: SignIn): Promise<SignIn> {
  if (!wantsPhones(signIn)) return signIn;
  const { now, reading } = plan;
  const nowMs = now.getTime();
  const { plain, lifeSeconds } = signIn.requirement.phones ?? {};
  const lifeMs = lifeSeconds === undefined ? PUSH_REQUEST_LIFE_MS : lifeSeconds * 1_000;
  const waits: Waits = {
    request: newId(deps),
    // Before anything is proved everybody is shown one: whoever is not would be somebody of whom something is said.
    number: plain && signIn.proofs.length > 0 ? null : drawNumber(deps.random),
    until: Math.min(nowMs + lifeMs, signIn.expiresAt),
  };
  const asked = advance(signIn, { type: 'phones-asked', ...waits }, nowMs);
  const { personId, applicationId, sourceAddress, browser } = asking;
  if (asking.decoyId || personId === null) return asked;
  const { lane, source } = await standingOf(reading, personId, sourceAddress, now);
  const person = idBytes(personId);
  // Before what is counted: whoever asks in between has moved it, and this one begins again.
  const askedBefore = await readAsked(plan, person, lane);
  const since = new Date(nowMs - PUSH_PAUSE_MS.stranger);
  const rows = await (plan.locked ? selectToWrite : select)<LatelyRow>(reading, LATELY, { person, since });
  // Two questions that look alike are one: the later.
  const alike = rows.filter(
    (row) =>
      row.state === 'waiting' &&
      row.valid_until > now &&
      row.application_id?.equals(idBytes(applicationId)) === true &&
      (source === null ? row.source === null : row.source?.equals(source) === true) &&
      row.browser === browser,
  );
  const lately = rows.map((row): LatelyAsked => ({
    state: alike.includes(row) ? 'withdrawn' : row.state,
    lane: row.lane,
    createdAt: row.created_at.getTime(),
    validUntil: row.valid_until.getTime(),
  }));
  if (!mayAskPhones(lately, lane, nowMs))
    return signIn.proofs.length > 0 ? advance(asked, { type: 'unanswered' }, nowMs) : asked;
  const unlocked = verificationFor(signIn, 'push') === 'required';
  for (const statement of countingAsked(person, lane, askedBefore)) plan.atEnd(statement);
  if (alike.length > 0)
    plan.atEnd({
      sql: "UPDATE push_requests SET state = 'withdrawn' WHERE id IN (:alike) AND state = 'waiting'",
      values: { alike: alike.map(({ id }) => id) },
    });
  plan.atEnd(
    insertion(
      'push_requests',
      pushRequests.sent({
        id: waits.request as Id,
        personId,
        signInId: asking.id,
        deviceId: null,
        applicationId,
        challenge: Buffer.from(deps.random(32)),
        number: waits.number,
        state: 'waiting',
        lane,
        source,
        sourceAddress,
        browser,
        createdAt: now,
        validUntil: new Date(waits.until),
        unlocked,
      }),
    ),
  );
  plan.afterCommit(() => wakePhones(deps, personId, waits.until, { unlocked }));
  return asked;
}

const ASKED = 'SELECT asked FROM push_lanes WHERE person_id = :person AND lane = :lane';
/** Its own lock at once: ignoring what is there would take a shared one, and many that then want more of it would block each other. */
const COUNTED =
  'INSERT INTO push_lanes (person_id, lane, asked) VALUES (:person, :lane, 0) ON DUPLICATE KEY UPDATE asked = asked';

/**
 * How often somebody's phones were asked in a lane, ever: what two that ask at the same moment meet at. Behind locks it is held from here,
 * also the first time: many that would each make it at their end, and give it up again, would block each other.
 */
async function readAsked(plan: Plan, person: Buffer, lane: Lane): Promise<number> {
  const values = { person, lane };
  const read = plan.locked ? selectOneToWrite : selectOne;
  const row = await read<{ asked: number }>(plan.reading, ASKED, values);
  if (row) return row.asked;
  if (!plan.locked) return 0;
  await write(plan.reading, COUNTED, values);
  return (await selectOneToWrite<{ asked: number }>(plan.reading, ASKED, values))!.asked;
}

const countingAsked = (person: Buffer, lane: Lane, before: number): readonly Statement[] => [
  { sql: COUNTED, values: { person, lane } },
  {
    sql: 'UPDATE push_lanes SET asked = asked + 1 WHERE person_id = :person AND lane = :lane AND asked = :before',
    values: { person, lane, before },
    matchesOne: true,
  },
];

/** A sign-in that went on, or ended, asks no phone any more; undefined where it asked none, or still does. */
export function withdrawal(before: SignIn, after: SignIn): Statement | undefined {
  if (!before.waits || (after.state === 'asking' && after.waits)) return undefined;
  return {
    sql: "UPDATE push_requests SET state = 'withdrawn' WHERE id = :id AND state = 'waiting'",
    values: { id: idBytes(before.waits.request as Id) },
  };
}
