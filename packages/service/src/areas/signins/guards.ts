import { reserve, type Guard, type Lane } from '@nimble-latch/core/throttle';
import { selectOne, selectOneToWrite, type Statement } from '../../platform/db/sql.js';
import type { Plan } from '../../platform/db/unit-of-work.js';
import { guardOf, type GuardColumns } from '../keyring/authenticator-row.js';

/**
 * What counts wrong proofs of an authenticator, or of a decoy where nobody is there. Each write holds only while the count is the one
 * that was judged by: so each guess counts on top of all before it, and of two at the same moment the second meets what the first left.
 */

type Guarded = GuardColumns & { readonly id: Buffer };
type InEitherLane = Readonly<Record<Lane, string>>;

/**
 * The text of a write that takes a right proof: failures are forgotten. It counts only for somebody who was not deactivated since the
 * sign-in began.
 *
 * @param sets what else it changes, as assignments
 * @param holds what else must hold
 */
export const forgetting = (sets: string, holds = ''): InEitherLane => {
  const inLane = (lane: Lane) => standing(lane, `${sets}, ${lane}_failures = 0, ${lane}_paused_until = NULL`, holds);
  return { familiar: inLane('familiar'), stranger: inLane('stranger') };
};

/** The text of a write that takes a proof which lets nobody in yet: what failed before stays counted. */
export const keeping = (sets: string, holds = ''): InEitherLane => ({
  familiar: standing('familiar', sets, holds),
  stranger: standing('stranger', sets, holds),
});

const standing = (lane: Lane, sets: string, holds: string): string =>
  `UPDATE authenticators SET ${sets}
   WHERE id = :id AND state = 'active' ${holds} AND ${lane}_failures = :failuresBefore
     AND EXISTS (SELECT 1 FROM persons o WHERE o.id = authenticators.person_id AND o.state = 'active')`;

/** Such a write. @param values of what it changes and holds by */
export const taking = (
  text: InEitherLane,
  row: Guarded,
  lane: Lane,
  values: NonNullable<Statement['values']>,
): Statement => ({
  sql: text[lane],
  values: { ...values, id: row.id, failuresBefore: guardOf(row, lane).failures },
  matchesOne: true,
});

const failed = (lane: Lane): string =>
  `UPDATE authenticators SET ${lane}_failures = :failures, ${lane}_paused_until = :until
   WHERE id = :id AND state = 'active' AND ${lane}_failures = :failuresBefore`;
const FAILED: InEitherLane = { familiar: failed('familiar'), stranger: failed('stranger') };

/** A failure counts on top of those that were known when it was judged. */
export function failing(row: Guarded, lane: Lane, now: Date): Statement {
  const before = guardOf(row, lane);
  const { failures, pausedUntil } = reserve(before, now.getTime());
  return {
    sql: FAILED[lane],
    values: { id: row.id, failures, until: instantOrNull(pausedUntil), failuresBefore: before.failures },
    matchesOne: true,
  };
}

/** A counted attempt taken back, unless another one was counted since. */
export const givingBack = (lane: Lane, id: Buffer, before: Guard, counted: Guard): Statement => ({
  sql: `UPDATE authenticators SET ${lane}_failures = :failures, ${lane}_paused_until = :until
        WHERE id = :id AND ${lane}_failures = :counted AND ${lane}_paused_until <=> :countedUntil`,
  values: { id, ...returned(before, counted) },
});

/** A decoy's guard; one that nobody has failed at yet has no row. */
export async function readDecoyGuard(plan: Plan, id: Buffer): Promise<Guard> {
  const row = await (plan.locked ? selectOneToWrite : selectOne)<{ failures: number; paused_until: Date | null }>(
    plan.reading,
    'SELECT failures, paused_until FROM decoy_guards WHERE id = :id',
    { id },
  );
  return { failures: row?.failures ?? 0, pausedUntil: row?.paused_until?.getTime() };
}

/** The writes of a decoy's next guard. */
export function decoyCounting(now: Date, id: Buffer, before: Guard, after: Guard): readonly Statement[] {
  return [
    {
      sql: 'INSERT IGNORE INTO decoy_guards (id, failures, touched_at) VALUES (:id, 0, :now)',
      values: { id, now },
    },
    {
      sql: `UPDATE decoy_guards SET failures = :failures, paused_until = :until, touched_at = :now
            WHERE id = :id AND failures = :failuresBefore`,
      values: {
        id,
        now,
        failures: after.failures,
        until: instantOrNull(after.pausedUntil),
        failuresBefore: before.failures,
      },
      matchesOne: true,
    },
  ];
}

/** {@link givingBack} of a decoy. */
export const decoyGivingBack = (id: Buffer, before: Guard, counted: Guard): Statement => ({
  sql: 'UPDATE decoy_guards SET failures = :failures, paused_until = :until WHERE id = :id AND failures = :counted AND paused_until <=> :countedUntil',
  values: { id, ...returned(before, counted) },
});

const instantOrNull = (ms: number | undefined) => (ms === undefined ? null : new Date(ms));
const returned = (before: Guard, counted: Guard) => ({
  failures: before.failures,
  until: instantOrNull(before.pausedUntil),
  counted: counted.failures,
  countedUntil: instantOrNull(counted.pausedUntil),
});
