import { WRONG_NUMBERS_MOST, type PushMessages } from '@nimble-latch/core/push';
import { constantTimeEqual } from '@nimble-latch/core/crypto';
import { admit, CLEAR, reserve, type Lane } from '@nimble-latch/core/throttle';
import type { Id, PushRequestState } from '@nimble-latch/core/vocabulary';
import { authenticators } from '../keyring/authenticator.model.js';
import { guardColumns, guardOf } from '../keyring/authenticator-row.js';
import type { Maker } from '../keyring/enrolling.js';
import { noticeOfNotMe } from '../notices/notices.js';
import { isBegunHere } from '../signins/here.js';
import { lockedAsked, lockingAsked, refusedByPhone } from '../signins/by-phone.js';
import type { StoredSignIn } from '../signins/stored.js';
import { foundOut } from '../signins/verdict.js';
import { carryOut, select, selectOneToWrite, write, type Db, type Statement } from '../../platform/db/sql.js';
import { onceAhead, type Plan, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal, throttledUntil } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Call, Handler, Reply } from '../../platform/http/call.js';
import { idBytes, idText, storedId } from '../../platform/ids.js';
import { askedOf } from './asked.js';
import { Turns } from '../../platform/turns.js';
import { hasFailed, heard, KNOWN_DEVICE, readDevice, type DeviceRow, type Heard } from './devices.js';
import { proveCodes } from './codes.js';
import { unlockedBy } from './unlock.js';

/** How often it is written down that a phone has asked, or answered. */
const SEEN_AGAIN_MS = 60_000;

/** A phone asks what waits for it. */
export const fetchForPhone: Handler<'phones.fetch'> = async (deps, call) => {
  const { device, message } = await heard(deps, call.body.token, 'fetch');
  const answer = await askedOf(deps, deps, device, deps.now());
  const shown = answer.requests.map(({ id }) => idBytes(id));
  // What is no page of ours brings itself up to date.
  const outdated = message.page !== null && answer.page !== null && message.page !== answer.page;
  if (isOlder(device.seen_at, deps.now()) || outdated !== (device.outdated_at !== null))
    await write(
      deps,
      `UPDATE push_devices SET seen_at = UTC_TIMESTAMP(3), outdated_at = IF(:outdated, COALESCE(outdated_at, UTC_TIMESTAMP(3)), NULL)
       WHERE authenticator_id = :id`,
      { id: device.id, outdated: outdated ? 1 : 0 },
    );
  if (shown.length > 0)
    await write(
      deps,
      'UPDATE push_requests SET shown_at = UTC_TIMESTAMP(3) WHERE id IN (:shown) AND shown_at IS NULL',
      { shown },
    );
  return { answer };
};

interface RequestRow {
  readonly id: Buffer;
  readonly sign_in_id: Buffer | null;
  readonly device_id: Buffer | null;
  readonly challenge: Buffer;
  readonly number: string | null;
  readonly state: PushRequestState;
  readonly lane: Lane;
  readonly wrong: number;
  readonly unlocked: number;
  readonly past: number;
}

const REQUEST_COLUMNS = `q.id, q.sign_in_id, q.device_id, q.challenge, q.number, q.state, q.lane, q.wrong, q.unlocked,
  (q.valid_until <= UTC_TIMESTAMP(3)) AS past`;
const REQUEST = `SELECT ${REQUEST_COLUMNS} FROM push_requests q WHERE q.id = :id AND q.person_id = :person`;

/**
 * A phone answers: the first answer counts, on whatever node, and only as long as it is waited for. An approval is written down for
 * whoever signs in to go on by; a no ends the sign-in there and then.
 *
 * Answers to one question take turns at a node, so that each is judged by what came of those before it: of many numbers that are tried at
 * the same moment the right one must not pass by while the wrong ones are still being counted.
 */
export const answerForPhone: Handler<'phones.answer'> = async (deps, call) => {
  const said = await heard(deps, call.body.token, 'answer');
  return await turns.take(
    said.message.request,
    async () => (await asUsual(deps, call, said)) ?? (await behindLocks(deps, call, said)),
  );
};
const turns = new Turns();
type Answering = Call<'phones.answer'>;
type Said = Heard<'answer'>;
type Outcome = Reply<'phones.answer'>;

/**
 * The usual: the first answer to a question, an approval by a phone that nothing speaks against. It is judged by what is read without locks,
 * and written if that still holds. Undefined where anything else is the case: whatever it is, it is found out behind locks.
 */
async function asUsual(deps: Deps, call: Answering, { message, device }: Said): Promise<Outcome | undefined> {
  if (message.decision !== 'approve' || device.state !== 'active' || hasFailed(device)) return undefined;
  const request = storedId(message.request);
  return await onceAhead(
    deps,
    async (plan) => {
      const [row] = plan.opened as readonly UsualRow[];
      if (row?.sign_in_state !== 'asking' || !row.person_id.equals(device.person_id)) return undefined;
      if (row.wrong > 0 || !mayAnswer(device, row, message) || !isRightNumber(row.number, message.number))
        return undefined;
      if (isBegunHere(call.cookies, idText(row.sign_in_id!))) return undefined;
      const unlocked = await unlockedBy(deps, deps, device, message.unlock);
      if (!unlocked.ok) return undefined;
      for (const statement of [...unlocked.writes, approvingUsual(row, device, call.origin)]) plan.atEnd(statement);
      if (isOlder(device.answered_at, plan.now)) plan.atEnd(answeredNow(device));
      told(deps, plan, row);
      return { answer: { outcome: 'taken' } };
    },
    async () => await deps.batcher.ask(usualRows, request),
  );
}

interface UsualRow extends RequestRow {
  readonly person_id: Buffer;
  readonly sign_in_state: string | null;
}

/** Several at once. */
async function usualRows(db: Db, requests: readonly Id[]): Promise<readonly (readonly UsualRow[])[]> {
  const keys = requests.map(idBytes);
  const rows = await select<UsualRow>(
    db,
    `SELECT ${REQUEST_COLUMNS}, q.person_id, s.state AS sign_in_state
     FROM push_requests q LEFT JOIN sign_ins s ON s.id = q.sign_in_id WHERE q.id IN (:keys)`,
    { keys },
  );
  return keys.map((key) => rows.filter(({ id }) => id.equals(key)));
}

/** Holds as long as nobody has answered, and nothing speaks against the phone. */
const approvingUsual = (row: RequestRow, device: DeviceRow, from: string): Statement => ({
  sql: `UPDATE push_requests SET state = 'approved', answered_at = UTC_TIMESTAMP(3), answered_by = :device, answered_from = :from
    WHERE id = :id AND state = 'waiting' AND wrong = 0 AND valid_until > UTC_TIMESTAMP(3)
      AND EXISTS (SELECT 1 ${KNOWN_DEVICE} AND a.state = 'active' AND a.familiar_failures = 0 AND a.stranger_failures = 0)`,
  values: { id: row.id, device: device.id, from },
  matchesOne: true,
});

/** An answer that is judged, and whatever comes of it written, while nothing else can be. */
async function behindLocks(deps: Deps, call: Answering, { message, device }: Said): Promise<Outcome> {
  const doer: Maker = { actor: { kind: 'page', personId: idText(device.person_id) }, origin: call.origin };
  let refusal: Refusal | undefined;
  const asked = { id: idBytes(storedId(message.request)), person: device.person_id };
  const reply = await call.run(async (work) => {
    refusal = undefined;
    const stored = lockedAsked(work);
    const row = await selectOneToWrite<RequestRow>(work, REQUEST, asked);
    const now = await readDevice(work, idText(device.id));
    if (!now || !row || !mayAnswer(now, row, message) || (stored && stored.signIn.state !== 'asking'))
      return { answer: { outcome: 'over' as const } };
    if (message.decision !== 'approve') {
      await deny(deps, work, doer, now, row, stored, message.decision);
      return { answer: { outcome: 'taken' as const } };
    }
    // Out of band is a second device, or nothing is gained by it.
    if (stored && isBegunHere(call.cookies, stored.id)) return { answer: { outcome: 'same-browser' as const } };
    const admission = admit(guardOf(now, row.lane), work.now.getTime());
    if (!admission.admitted) {
      refusal =
        admission.until === undefined
          ? new Refusal('phone-unknown')
          : throttledUntil(admission.until, work.now.getTime());
      return { answer: { outcome: 'over' as const } };
    }
    const unlocked = await unlockedBy(deps, work, now, message.unlock);
    if (!unlocked.ok) {
      if (unlocked.why !== undefined) await notUnlocked(work, doer, now, row, stored?.id, unlocked.why);
      return { answer: { outcome: 'locked' as const } };
    }
    if (!isRightNumber(row.number, message.number)) {
      await wrongNumber(deps, work, doer, now, row, stored);
      return { answer: { outcome: 'wrong-number' as const } };
    }
    const codes = now.state === 'pending' ? await proveCodes(deps, work, now.id, message.codes) : null;
    // Nothing reads it in here: it travels together with the commit.
    for (const statement of [...unlocked.writes, ...settling(row, now, 'approved', call.origin)]) work.atEnd(statement);
    told(deps, work, row);
    if (guardOf(now, row.lane).failures > 0)
      await authenticators(work).update(guardColumns(row.lane, CLEAR), {
        where: { id: idText(now.id) },
        transaction: work.transaction,
      });
    return { answer: { outcome: 'taken' as const, ...(codes === null ? {} : { codes }) } };
    // The sign-in before what it asks, as the locks are taken everywhere.
  }, lockingAsked(asked));
  if (refusal) throw refusal;
  return reply;
}

/** Whether it is this phone's to answer, is still waited for, and is the very question that the phone was shown. */
const mayAnswer = (device: DeviceRow, row: RequestRow, { challenge }: PushMessages['answer']): boolean =>
  row.state === 'waiting' &&
  Number(row.past) === 0 &&
  constantTimeEqual(row.challenge, challenge) &&
  (row.device_id === null
    ? device.state === 'active' && (Number(row.unlocked) === 0 || device.unlock_id !== null)
    : row.device_id.equals(device.id) && device.state !== 'suspended');

const isRightNumber = (number: string | null, typed: string | null): boolean =>
  number === null || (typed !== null && constantTimeEqual(Buffer.from(number), Buffer.from(typed)));

const settling = (row: RequestRow, device: DeviceRow, state: PushRequestState, from: string): readonly Statement[] => [
  {
    sql: 'UPDATE push_requests SET state = :state, answered_at = UTC_TIMESTAMP(3), answered_by = :device, answered_from = :from WHERE id = :id',
    values: { id: row.id, state, device: device.id, from },
  },
  answeredNow(device),
];

const answeredNow = (device: DeviceRow): Statement => ({
  sql: 'UPDATE push_devices SET answered_at = UTC_TIMESTAMP(3) WHERE authenticator_id = :device',
  values: { device: device.id },
});

/** A page that is open asks every other second; for how long a phone was silent, minutes are enough. */
const isOlder = (at: Date | null, now: Date): boolean => at === null || now.getTime() - at.getTime() > SEEN_AGAIN_MS;

/** Who waits at this node need not look for it. */
const told = ({ phoneAnswers }: Deps, plan: Pick<Plan, 'afterCommit'>, row: RequestRow): void =>
  plan.afterCommit(() => phoneAnswers.came(idText(row.id)));

/** At once, since what follows reads it. */
async function settle(
  deps: Deps,
  work: Work,
  row: RequestRow,
  device: DeviceRow,
  state: PushRequestState,
  from: string,
): Promise<void> {
  for (const statement of settling(row, device, state, from)) await carryOut(work, statement);
  told(deps, work, row);
}

const entry = (
  doer: Maker,
  action: 'push.denied' | 'push.wrong-number' | 'push.not-unlocked',
  device: DeviceRow,
  signIn: Id | undefined,
  more = {},
) =>
  entryOf(
    doer,
    action,
    { kind: 'authenticator', id: idText(device.id) },
    { person: idText(device.person_id), details: { ...(signIn ? { signIn } : {}), ...more } },
  );

async function deny(
  deps: Deps,
  work: Work,
  doer: Maker,
  device: DeviceRow,
  row: RequestRow,
  stored: StoredSignIn | undefined,
  decision: 'deny' | 'not-me',
): Promise<void> {
  const why = decision === 'deny' ? 'denied' : 'not-me';
  await settle(deps, work, row, device, why, doer.origin);
  await work.trail(entry(doer, 'push.denied', device, stored?.id, { why }));
  if (!stored) return;
  const judgement = { type: 'denied', authenticator: idText(device.id), why } as const;
  const ended = await refusedByPhone(deps, work, doer, stored, judgement);
  if (why !== 'not-me') return;
  // By the person's own word, as an administrator would say it.
  await foundOut(deps, work, doer, ended);
  await noticeOfNotMe(deps, work, { person: ended.displayName ?? '', signIn: ended.id, from: ended.sourceAddress });
}

/** An approval whose verification does not hold is somebody who has the phone's key and not its holder: it counts as a wrong number does. */
async function notUnlocked(
  work: Work,
  doer: Maker,
  device: DeviceRow,
  row: RequestRow,
  signIn: Id | undefined,
  why: string,
): Promise<void> {
  await work.trail(entry(doer, 'push.not-unlocked', device, signIn, { why }));
  await failed(work, device, row);
}

/** One more failure of this phone in this lane: it rests, longer each time. */
async function failed(work: Work, device: DeviceRow, { lane }: RequestRow): Promise<void> {
  await authenticators(work).update(guardColumns(lane, reserve(guardOf(device, lane), work.now.getTime())), {
    where: { id: idText(device.id) },
    transaction: work.transaction,
  });
}

async function wrongNumber(
  deps: Deps,
  work: Work,
  doer: Maker,
  device: DeviceRow,
  row: RequestRow,
  stored: StoredSignIn | undefined,
): Promise<void> {
  const wrong = row.wrong + 1;
  await work.trail(entry(doer, 'push.wrong-number', device, stored?.id));
  await failed(work, device, row);
  await write(work, 'UPDATE push_requests SET wrong = :wrong WHERE id = :id', { id: row.id, wrong });
  if (wrong < WRONG_NUMBERS_MOST) return;
  await settle(deps, work, row, device, 'given-up', doer.origin);
  if (stored) await refusedByPhone(deps, work, doer, stored, { type: 'unanswered' });
}
