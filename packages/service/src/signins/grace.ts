import type { Id } from '@nimble-latch/core/vocabulary';
import { advance, type Event, type SignIn } from '@nimble-latch/core/signin';
import { selectOne, write, type Db } from '../db/sql.js';
import { key } from '../ids.js';
import { endOfGrace } from '../rulebook/graces.js';

/**
 * Until when somebody without a usable authenticator still gets in by a rule: so many days from when they were first
 * asked, which is noted here, and never past the last day for all.
 */
export async function graceUntil(
  db: Db,
  personId: Id,
  rule: string,
  grace: NonNullable<SignIn['requirement']['grace']>,
  now: Date,
): Promise<number> {
  const who = { person: key(personId), rule };
  await write(db, 'INSERT IGNORE INTO graces (person_id, rule, begun_at) VALUES (:person, :rule, :now)', {
    ...who,
    now,
  });
  const row = await selectOne<{ begun_at: Date }>(
    db,
    'SELECT begun_at FROM graces WHERE person_id = :person AND rule = :rule',
    who,
  );
  return endOfGrace(row?.begun_at ?? now, grace);
}

/** The next state after right proofs, with the days of grace where the keyring does not suffice and a rule gives them. */
export async function advanceRight(
  db: Db,
  personId: Id | null,
  before: SignIn,
  event: Extract<Event, { type: 'right' | 'resumed' }>,
  now: Date,
): Promise<SignIn> {
  const after = advance(before, event, now.getTime());
  const { grace, rule } = before.requirement;
  if (after.state !== 'enrol-first' || !grace || !rule || personId === null) return after;
  const until = await graceUntil(db, personId, rule.name, grace, now);
  return advance(before, { ...event, graceUntil: until }, now.getTime());
}
