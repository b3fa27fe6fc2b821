import type { Id } from '@nimble-latch/core/vocabulary';
import type { Transaction } from 'sequelize';
import type { Db } from '../../platform/db/sql.js';
import { notFound } from '../../platform/errors.js';
import { persons, type Person } from './person.model.js';

/** Locks a person's row, so that two changes of one person come one after the other. Throws not-found. */
export async function lockPerson(work: Db & { readonly transaction: Transaction }, id: Id): Promise<Person> {
  const { transaction } = work;
  return await persons(work).findByPk(id, { lock: transaction.LOCK.UPDATE, rejectOnEmpty: notFound(), transaction });
}
