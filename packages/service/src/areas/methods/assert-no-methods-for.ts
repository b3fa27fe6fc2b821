import type { Db } from '../../platform/db/sql.js';
import { Refusal } from '../../platform/errors.js';
import { readMethods } from './cache.js';

/** Asserts that the method settings do not speak of a group: deleted, its people would fall to the rows below. */
export async function assertNoMethodsFor(db: Db, group: string): Promise<void> {
  const { settings } = await readMethods(db);
  if (settings.rows.some((row) => row.group === group)) throw new Refusal('named-by-methods');
}
