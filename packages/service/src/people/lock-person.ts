import type { Id, PersonState } from '@nimble-latch/core/vocabulary';
import { selectOne, type Db } from '../db/sql.js';
import { notFound } from '../errors.js';
import { key } from '../ids.js';

/** Locks a person's row, so that two changes of one person come one after the other. */
export async function lockPerson(db: Db, id: Id): Promise<{ state: PersonState; displayName: string }> {
  const row = await selectOne<{ state: PersonState; display_name: string }>(
    db,
    'SELECT state, display_name FROM persons WHERE id = :id FOR UPDATE',
    {
      id: key(id),
    },
  );
  if (!row) throw notFound();
  return { state: row.state, displayName: row.display_name };
}
