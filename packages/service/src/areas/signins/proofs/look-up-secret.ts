import { LIMITS } from '@nimble-latch/api';
import { canAnswer } from '@nimble-latch/core/signin';
import { readLookUpSecret } from '@nimble-latch/core/look-up-secrets';
import { admit } from '@nimble-latch/core/throttle';
import type { OperatorReason } from '@nimble-latch/core/vocabulary';
import type { Statement } from '../../../platform/db/sql.js';
import type { Plan } from '../../../platform/db/unit-of-work.js';
import type { Deps } from '../../../platform/deps.js';
import { idBytes, idText } from '../../../platform/ids.js';
import { guardOf } from '../../keyring/authenticator-row.js';
import { inItsTime, usableOf } from '../../keyring/usable.js';
import { noticeTo } from '../../notices/notices.js';
import { whyNobody } from '../decoy.js';
import type { StoredSignIn } from '../store.js';
import { failing, forgetting, taking } from '../guards.js';
import { fromSource, judgeNobody, turnedAway, type Judged } from './judged.js';
import type { Standing } from '../lanes.js';
import { identityOf, openingOf, secretsOf, type SecretRow } from './look-up-secret-rows.js';
import { judgedAhead, type Attempt } from './proof.js';
import { wholeKeyring } from './whole-keyring.js';

/** Whether what was typed has the form of a look-up secret: no code of a device has, and no PIN before one. */
export const isLookUpSecret = (typed: string): boolean => readLookUpSecret(typed) !== undefined;

/**
 * A temporary pass or a recovery code answers a sign-in, where a code would. Each use is counted by the write that lets it count: of two
 * at the same moment, on any node, one comes too late.
 */
export const lookUpSecret = judgedAhead<undefined>({
  by: 'value',
  opening: openingOf,
  prepare: async () => await Promise.resolve(undefined),
  judge: async (attempt, plan) =>
    await fromSource(plan, attempt.stored, async (standing) => await judge(attempt, plan, standing)),
});

const SETS = 'last_used_at = :now, last_used_in = :place, state = :state, ended_at = :ended';
/** A pass is used in its time by the clock of the database, whatever this node believes. */
const PASS_ACCEPTED = forgetting(SETS, `AND ${inItsTime('authenticators')}`);
/** Each code that a holder was shown is good once. */
const PASS_COUNTED = `UPDATE passes SET uses = uses + 1, ended_why = :why, code_until = NULL
  WHERE authenticator_id = :id AND uses = :uses AND uses < uses_most AND ended_why IS NULL
    AND (held_by IS NULL OR (hash = :hash AND code_until > UTC_TIMESTAMP(3)))`;
/** Its step counts the codes of the set that were used, so that of two at the same moment the second knows of the first. */
const CODE_ACCEPTED = forgetting(`${SETS}, last_step = :step`, 'AND COALESCE(last_step, 0) = :stepBefore');
const CODE_USED = `UPDATE recovery_codes SET used_at = :now WHERE authenticator_id = :id AND number = :number AND used_at IS NULL`;
const NO_MORE_CODES = "DELETE FROM person_methods WHERE person_id = :person AND method = 'recovery'";

const WHY: Readonly<Record<SecretRow['counting'], OperatorReason>> = {
  // It counts, and no way asks for it.
  counts: 'pass-not-here',
  waiting: 'pass-waiting',
  ended: 'pass-ended',
  used: 'code-already-used',
  elsewhere: 'pass-not-here',
};

async function judge(
  { deps, stored, value, rows: read }: Attempt<undefined>,
  plan: Plan,
  standing: Standing,
): Promise<Judged> {
  const { decoyId, personId, signIn } = stored;
  const all = decoyId ? [] : secretsOf(read, stored.applicationId);
  const counting = all.filter((row) => row.counting === 'counts');
  const held = counting.map(usableOf);
  const keyring = await wholeKeyring(plan.reading, stored, held);
  const asked = counting.filter((_, i) => canAnswer(signIn.requirement.outcome, signIn.proofs, held[i]!, keyring));
  const found = await rightOf(deps, all, readLookUpSecret(value)!);
  const why = found && !asked.includes(found) ? WHY[found.counting] : undefined;
  if (asked.length === 0) {
    // Nobody, and somebody who has nothing of the kind, fail and pause as each other: apart from codes, as a pass of somebody's would.
    const name = decoyId ? `pass of decoy ${decoyId.toString('hex')}` : `no pass of ${personId}`;
    const lacking = why ?? whyNobody(deps, stored, 'no-usable-authenticator');
    return await judgeNobody(plan, standing, deps.keys.current.decoyId(name), wrong(lacking, found));
  }
  const { lane } = standing;
  const nowMs = plan.now.getTime();
  // The codes of a set are one authenticator, which has one guard.
  const guarded = [...new Map(asked.map((row) => [idText(row.id), row])).values()];
  const admissions = guarded.map((row) => ({ row, admission: admit(guardOf(row, lane), nowMs) }));
  const open = admissions.flatMap(({ row, admission }) => (admission.admitted ? [row] : []));
  if (open.length === 0) {
    const pauses = admissions.flatMap(({ admission }) => ('until' in admission ? (admission.until ?? []) : []));
    return turnedAway(
      standing,
      pauses.length > 0 ? { why: 'throttled', until: Math.min(...pauses) } : { why: 'needs-unlock' },
    );
  }
  const right = asked.find((row) => row === found && open.some(({ id }) => id.equals(row.id)));
  if (!right) {
    const writes = open.map((row) => failing(row, lane, plan.now));
    return {
      judgement: wrong(why ?? 'wrong-code', found ?? (open.length === 1 ? open[0] : undefined)),
      writes,
      standing,
    };
  }
  if (right.number !== null) {
    const left = leftAfter(right);
    const kind = left <= LIMITS.recoveryCodesFew ? 'recovery.few' : 'recovery.used';
    await noticeTo(deps, plan, personId!, kind, { about: idText(right.id), label: String(left) });
  }
  if (right.held_by)
    await noticeTo(deps, plan, personId!, 'pass.used', { about: idText(right.id), label: right.holder! });
  return {
    judgement: { type: 'right', proof: usableOf(right), newPin: false },
    writes: using(right, standing, stored, plan.now),
    standing,
  };
}

/** How many recovery codes of a set are left once this one is used. */
const leftAfter = ({ of, last_step }: SecretRow): number => Number(of) - Number(last_step ?? 0) - 1;

/** The writes that let a secret count. With its last use it ends. */
function using(
  row: SecretRow,
  { lane }: Standing,
  { applicationId, personId }: StoredSignIn,
  now: Date,
): readonly Statement[] {
  const last = row.number === null ? row.uses! + 1 >= row.uses_most! : leftAfter(row) === 0;
  const values = { now, place: idBytes(applicationId), state: last ? 'expired' : 'active', ended: last ? now : null };
  return row.number === null
    ? [
        taking(PASS_ACCEPTED, row, lane, values),
        {
          sql: PASS_COUNTED,
          values: { id: row.id, uses: row.uses, hash: row.hash, why: last ? 'used-up' : null },
          matchesOne: true,
        },
      ]
    : [
        taking(CODE_ACCEPTED, row, lane, {
          ...values,
          step: Number(row.last_step ?? 0) + 1,
          stepBefore: row.last_step ?? 0,
        }),
        { sql: CODE_USED, values: { id: row.id, number: row.number, now }, matchesOne: true },
        ...(last ? [{ sql: NO_MORE_CODES, values: { person: idBytes(personId!) } }] : []),
      ];
}

/** The secret that was typed. All of them are compared, so that the time says nothing of which. */
async function rightOf(deps: Deps, rows: readonly SecretRow[], secret: string): Promise<SecretRow | undefined> {
  let found: SecretRow | undefined;
  for (const row of rows) {
    const kept = { keyId: idText(row.hash_key_id), hash: row.hash };
    if (await deps.keys.opening((keys) => keys.verify(identityOf(row), secret, kept))) found = row;
  }
  return found;
}

const wrong = (why: OperatorReason, of?: SecretRow) =>
  ({ type: 'wrong', method: of?.method ?? 'pass', authenticator: of ? idText(of.id) : null, why }) as const;
