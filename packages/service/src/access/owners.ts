import type { Id } from '@nimble-latch/core/vocabulary';
import { select, selectOne, type Db } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import { Refusal } from '../errors.js';
import { key } from '../ids.js';

/** Locks every owner's grant, so that of two changes at once the second sees what the first left. */
export async function lockRoles(work: Work): Promise<void> {
  await select(work, "SELECT person_id FROM role_grants WHERE role = 'owner' ORDER BY person_id FOR UPDATE");
}

/** Active owners other than this person. */
async function otherOwners(db: Db, personId: Id): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    "SELECT COUNT(*) AS n FROM role_grants r JOIN persons p ON p.id = r.person_id WHERE r.role = 'owner' AND p.state = 'active' AND p.id <> :id",
    { id: key(personId) },
  );
  return Number(row?.n ?? 0);
}

/** Asserts that somebody owns the installation without this person. The caller holds the roles ({@link lockRoles}). */
export async function assertOwnerLeft(work: Work, personId: Id): Promise<void> {
  const owner = await selectOne(work, "SELECT 1 AS one FROM role_grants WHERE person_id = :id AND role = 'owner'", {
    id: key(personId),
  });
  if (owner && (await otherOwners(work, personId)) === 0) throw new Refusal('last-owner');
}
