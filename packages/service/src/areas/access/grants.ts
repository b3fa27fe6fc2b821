import type { Grant } from '@nimble-latch/core/access';
import type { Id } from '@nimble-latch/core/vocabulary';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { roleGrants } from './role-grant.model.js';
import { roleLimits } from './role-limit.model.js';

/** The roles that somebody holds, with the groups that each is limited to. */
export async function grantsOf(db: Db, personId: Id): Promise<Grant[]> {
  const grants = await roleGrants(db).findAll({ where: { personId }, order: ['role'], ...within(db) });
  const limits = grants.some(({ limited }) => limited)
    ? await roleLimits(db).findAll({ where: { personId }, ...within(db) })
    : [];
  return grants.map(({ role, limited }) => ({
    role,
    groups: limited ? limits.flatMap((limit) => (limit.role === role ? limit.groupId : [])) : null,
  }));
}
