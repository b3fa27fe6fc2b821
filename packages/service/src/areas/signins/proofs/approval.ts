import { canAnswer, promptOf } from '@nimble-latch/core/signin';
import type { Id, PushRequestState } from '@nimble-latch/core/vocabulary';
import type { Plan } from '../../../platform/db/unit-of-work.js';
import { badField, Refusal } from '../../../platform/errors.js';
import { idBytes, idText } from '../../../platform/ids.js';
import { PROVING_COLUMNS, type ProvingRow } from '../../keyring/authenticator-row.js';
import { countsNow, usableOf } from '../../keyring/usable.js';
import { select, type Db, type Statement } from '../../../platform/db/sql.js';
import { forgetting, taking } from '../guards.js';
import { atPlace } from '../key-prompt.js';
import { standingOf } from '../lanes.js';
import { SIGN_IN_COLUMNS, type SignInRow, type StoredSignIn } from '../store.js';
import type { Judged } from './judged.js';
import { judgedAhead } from './proof.js';
import { wholeKeyring } from './whole-keyring.js';

/**
 * Whoever signs in looks whether a phone has answered. The approval itself was written by the phone, at whatever node; here the sign-in
 * goes on by it, once. It may be looked at while something else is asked: whichever is right first counts. Whoever looks may be kept waiting
 * until there is something to see.
 */
export const approval = judgedAhead({
  by: 'nothing',
  anyPrompt: true,
  looks: true,
  opening: (deps, id) => ({
    read: { sql: `${SIGN_IN_WITH_APPROVAL} WHERE s.id = :id`, values: { id: idBytes(id) } },
    ahead: async () => await deps.batcher.ask(signInsWithApprovals, id),
  }),
  prepare: async ({ deps, connected, proof: { seconds = 0 } }, look) => {
    if (seconds === 0) return;
    const signIn = (await look())?.stored.signIn;
    if (signIn?.state !== 'asking' || !signIn.waits) return;
    const { request, until } = signIn.waits;
    await deps.phoneAnswers.until(request as Id, Math.min(seconds * 1_000, until - deps.now().getTime()));
    // Nobody would hear that they are let in: whoever comes back looks for themselves.
    if (!connected()) throw new Refusal('sign-in-moved-on');
  },
  judge: async ({ stored, rows }, plan) => await judge(plan, stored, rows),
});

const APPROVAL = `q.id AS push_id, q.state AS push_state, ${PROVING_COLUMNS.map((column) => `a.${column} AS phone_${column}`).join(', ')}`;
const ITS_REQUEST = "push_requests q ON q.sign_in_id = s.id AND q.state IN ('waiting', 'approved')";
const ITS_PHONE = `q.state = 'approved' AND a.id = q.answered_by AND ${countsNow('a')} AND ${atPlace('s.application_id')}`;
/** Locks the sign-in, its request and the phone, and nothing of the person: only looked up beside them. */
const SIGN_IN_WITH_APPROVAL = `SELECT ${SIGN_IN_COLUMNS}, ${APPROVAL}
  FROM sign_ins s LEFT JOIN ${ITS_REQUEST}
  LEFT JOIN authenticators a ON ${ITS_PHONE} AND a.person_id = s.person_id
    AND EXISTS (SELECT 1 FROM persons o WHERE o.id = a.person_id AND o.state = 'active')`;
/** The same without locks, by a join, and of several at once. */
const SIGN_INS_AHEAD = `SELECT s.*, p.display_name, p.last_seen_at, p.emergency, ${APPROVAL}
  FROM sign_ins s LEFT JOIN persons p ON p.id = s.person_id LEFT JOIN ${ITS_REQUEST}
  LEFT JOIN authenticators a ON ${ITS_PHONE} AND a.person_id = p.id AND p.state = 'active' WHERE s.id IN (:ids)`;

async function signInsWithApprovals(db: Db, ids: readonly Id[]): Promise<readonly (readonly SignInRow[])[]> {
  const keys = ids.map(idBytes);
  const rows = await select<SignInRow>(db, SIGN_INS_AHEAD, { ids: keys });
  return keys.map((id) => rows.filter((row) => row.id.equals(id)));
}

interface Answered {
  readonly push_id: Buffer | null;
  readonly push_state: PushRequestState;
}

const USED = forgetting('last_used_at = :now, last_used_in = :place');
/** Of two that go on by one approval, one does. */
const TAKEN = "UPDATE push_requests SET state = 'used' WHERE id = :id AND state = 'approved'";

async function judge(plan: Plan, stored: StoredSignIn, rows: readonly object[]): Promise<Judged> {
  const { signIn, applicationId, personId, sourceAddress } = stored;
  const { waits } = signIn;
  if (!waits) throw badField('body.kind', 'other-prompt', { kind: promptOf(signIn)!.kind });
  const request = idBytes(waits.request as Id);
  const row = (rows as readonly (Answered & Record<string, unknown>)[]).find(({ push_id }) => push_id?.equals(request));
  if (row?.push_state !== 'approved') {
    if (plan.now.getTime() < waits.until) return { judgement: { type: 'beside' }, writes: [] };
    return { judgement: { type: 'unanswered' }, writes: [] };
  }
  // Taken out of use between its answer and now: nobody has answered.
  if (row['phone_id'] === null) return { judgement: { type: 'unanswered' }, writes: [withdrawn(request)] };
  const phone = Object.fromEntries(
    PROVING_COLUMNS.map((column) => [column, row[`phone_${column}`]]),
  ) as unknown as ProvingRow;
  const held = usableOf(phone);
  const keyring = await wholeKeyring(plan.reading, stored, [held]);
  if (!canAnswer(signIn.requirement.outcome, signIn.proofs, held, keyring))
    return { judgement: { type: 'unanswered' }, writes: [withdrawn(request)] };
  const standing = await standingOf(plan.reading, personId, sourceAddress, plan.now);
  return {
    judgement: { type: 'right', proof: held },
    standing,
    writes: [
      taking(USED, phone, standing.lane, { now: plan.now, place: idBytes(applicationId) }),
      { sql: TAKEN, values: { id: request }, matchesOne: true },
    ],
    entries: [
      {
        actor: { kind: 'person', id: personId },
        action: 'push.approved',
        target: { kind: 'authenticator', id: idText(phone.id) },
        person: personId,
        origin: null,
        reason: null,
        details: { signIn: stored.id },
      },
    ],
  };
}

const withdrawn = (id: Buffer): Statement => ({
  sql: "UPDATE push_requests SET state = 'withdrawn' WHERE id = :id AND state = 'approved'",
  values: { id },
});
