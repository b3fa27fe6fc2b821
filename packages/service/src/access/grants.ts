import type { Grant } from '@nimble-latch/core/access';
import type { Id, Role } from '@nimble-latch/core/vocabulary';
import { select, type Db } from '../db/sql.js';
import { text } from '../ids.js';

/** The roles that somebody holds, with the groups that each is limited to. */
export async function grantsOf(db: Db, personId: Buffer): Promise<Grant[]> {
  const rows = await select<{ role: Role; limited: number; group_id: Buffer | null }>(
    db,
    `SELECT g.role, g.limited, l.group_id FROM role_grants g
     LEFT JOIN role_limits l ON l.person_id = g.person_id AND l.role = g.role WHERE g.person_id = :personId ORDER BY g.role`,
    { personId },
  );
  const grants = new Map<Role, { role: Role; groups: Id[] | null }>();
  for (const { role, limited, group_id } of rows) {
    const grant = grants.get(role) ?? { role, groups: limited === 1 ? [] : null };
    grants.set(role, grant);
    if (grant.groups && group_id) grant.groups.push(text(group_id));
  }
  return [...grants.values()];
}
