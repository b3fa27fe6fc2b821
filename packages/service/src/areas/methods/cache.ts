import { asksForGroups, asksForRoles, FIRST_METHODS, type MethodSettings } from '@nimble-latch/core/methods';
import type { LOCK, Sequelize } from 'sequelize';
import { within } from '../../platform/db/models.js';
import { TtlCache } from '../../platform/db/ttl-cache.js';
import type { Db } from '../../platform/db/sql.js';
import { methodSettings } from './method-settings.model.js';
import { groupKey } from '../rulebook/running.js';

/** The method settings as they decide: groups by the digits of their ids, as the facts of a person have them. */
export interface RunningMethods {
  readonly settings: MethodSettings;
  /** Whether it matters who is in which group, or administers. */
  readonly needsGroups: boolean;
}

/** As they are stored, with ids of groups. */
export async function readMethods(db: Db, lock?: LOCK): Promise<{ settings: MethodSettings; version: number }> {
  const row = await methodSettings(db).findByPk(1, { ...(lock ? { lock } : {}), ...within(db) });
  return row ? { settings: row.data, version: row.version } : { settings: FIRST_METHODS, version: 1 };
}

/** Makes stored settings ready for deciding. */
export const readyMethods = ({ rows }: MethodSettings): RunningMethods => {
  const settings = { rows: rows.map((row) => ({ ...row, group: row.group === null ? null : groupKey(row.group) })) };
  return { settings, needsGroups: asksForGroups(settings) || asksForRoles(settings) };
};

/** The method settings as this process last read them, at most a few seconds ago. */
export class MethodsCache extends TtlCache<RunningMethods> {
  /** @param settingsPool a pool that no transaction holds connections of */
  constructor(settingsPool: Sequelize) {
    super(async () => readyMethods((await readMethods({ sequelize: settingsPool })).settings));
  }
}

declare module '../../platform/deps.js' {
  interface Deps {
    readonly methods: MethodsCache;
  }
}
