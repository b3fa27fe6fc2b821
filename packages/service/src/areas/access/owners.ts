import type { Id } from '@nimble-latch/core/vocabulary';
import { Op } from 'sequelize';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { Refusal } from '../../platform/errors.js';
import { persons } from '../people/person.model.js';
import { roleGrants } from './role-grant.model.js';

/** Locks every owner's grant, so that of two changes at once the second sees what the first left. */
export async function lockRoles(work: Work): Promise<void> {
  const { transaction } = work;
  await roleGrants(work).findAll({
    where: { role: 'owner' },
    order: ['personId'],
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
}

/** Active owners, but for this person where one is named. */
export async function activeOwners(db: Db, besides?: Id): Promise<number> {
  return await roleGrants(db).count({
    where: { role: 'owner', ...(besides ? { personId: { [Op.ne]: besides } } : {}) },
    include: [{ model: persons(db), as: 'person', where: { state: 'active' } }],
    ...within(db),
  });
}

/** Asserts that somebody owns the installation without this person. The caller holds the roles ({@link lockRoles}). */
export async function assertOwnerLeft(work: Work, personId: Id): Promise<void> {
  const { transaction } = work;
  const owner = await roleGrants(work).count({ where: { personId, role: 'owner' }, transaction });
  if (owner > 0 && (await activeOwners(work, personId)) === 0) throw new Refusal('last-owner');
}
