import { asksForGroups, FIRST_METHODS, type MethodSettings } from '@nimble-latch/core/methods';
import type { Sequelize } from 'sequelize';
import { selectOne, type Db } from '../db/sql.js';
import { groupKey } from '../rulebook/running.js';

/** How old a node's method settings may be: another node's change is followed within this time. */
const AGE_MS = 3_000;

/** The method settings as they decide: groups by the digits of their ids, as the facts of a person have them. */
export interface RunningMethods {
  readonly settings: MethodSettings;
  /** Whether it matters who is in which group. */
  readonly needsGroups: boolean;
}

/** As they are stored, with ids of groups. */
export async function readMethods(db: Db, lock = ''): Promise<{ settings: MethodSettings; version: number }> {
  const row = await selectOne<{ data: string; version: number }>(
    db,
    `SELECT data, version FROM method_settings WHERE id = 1 ${lock}`,
  );
  return row
    ? { settings: JSON.parse(row.data) as MethodSettings, version: row.version }
    : { settings: FIRST_METHODS, version: 1 };
}

/** Makes stored settings ready for deciding. */
export const readyMethods = ({ rows }: MethodSettings): RunningMethods => {
  const settings = { rows: rows.map((row) => ({ ...row, group: row.group === null ? null : groupKey(row.group) })) };
  return { settings, needsGroups: asksForGroups(settings) };
};

/** The method settings as this process last read them, at most a few seconds ago. */
export class MethodsCache {
  #read: { value: Promise<RunningMethods>; at: number } | undefined;
  readonly #aside: Sequelize;

  /** @param aside a pool that no transaction holds connections of */
  constructor(aside: Sequelize) {
    this.#aside = aside;
  }

  /** One reading serves all who ask meanwhile. */
  async current(): Promise<RunningMethods> {
    if (!this.#read || performance.now() - this.#read.at > AGE_MS) {
      const value = readMethods({ sequelize: this.#aside }).then(({ settings }) => readyMethods(settings));
      const read = { value, at: performance.now() };
      this.#read = read;
      // A reading that failed is no answer for the next one who asks.
      value.catch(() => {
        if (this.#read === read) this.#read = undefined;
      });
    }
    return await this.#read.value;
  }

  /** After a change made here. */
  forget(): void {
    this.#read = undefined;
  }
}
