import type { Id } from '@nimble-latch/core/vocabulary';
import { advance, type Event, type SignIn } from '@nimble-latch/core/signin';
import { selectOne, type Db, type Statement } from '../../platform/db/sql.js';
import { idBytes } from '../../platform/ids.js';
import { endOfGrace } from '../rulebook/graces.js';

/** Leaves a write for where the sign-in is written: somebody's days begin only with a sign-in that was recorded. */
export type Leave = (statement: Statement) => void;

/**
 * Until when somebody without a usable authenticator still gets in by a rule: so many days from when they were first
 * asked, and never past the last day for all.
 *
 * @param leave is given the note of when their days began, where they begin now
 */
async function graceUntil(
  db: Db,
  personId: Id,
  rule: string,
  grace: NonNullable<SignIn['requirement']['grace']>,
  now: Date,
  leave: Leave,
): Promise<number> {
  const who = { person: idBytes(personId), rule };
  const row = await selectOne<{ begun_at: Date }>(
    db,
    'SELECT begun_at FROM graces WHERE person_id = :person AND rule = :rule',
    who,
  );
  // Where two sign-ins begin them at the same moment, the first one written counts, for both from the next time on.
  if (!row)
    leave({
      sql: 'INSERT IGNORE INTO graces (person_id, rule, begun_at) VALUES (:person, :rule, :now)',
      values: { ...who, now },
    });
  return endOfGrace(row?.begun_at ?? now, grace);
}

/**
 * The next state after right proofs, with the days of grace where the keyring does not suffice and a rule gives them.
 *
 * @param of whose sign-in it is; one that an operator does by hand begins nobody's days
 */
export async function advanceRight(
  db: Db,
  of: { readonly personId: Id | null; readonly walkedBy: Id | null },
  before: SignIn,
  event: Extract<Event, { type: 'right' | 'resumed' }>,
  now: Date,
  leave: Leave,
): Promise<SignIn> {
  const after = advance(before, event, now.getTime());
  const { grace, rule } = before.requirement;
  if (after.state !== 'enrol-first' || !grace || !rule || of.personId === null) return after;
  const noted: Leave = of.walkedBy === null ? leave : () => undefined;
  const until = await graceUntil(db, of.personId, rule.name, grace, now, noted);
  return advance(before, { ...event, graceUntil: until }, now.getTime());
}
