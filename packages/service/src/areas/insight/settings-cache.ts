import {
  FIRST_INVITATION_SETTINGS,
  FIRST_PASS_BOUNDS,
  FIRST_RECOVERY,
  FIRST_WEIGHTS,
  settingsSchema,
} from '@nimble-latch/api';
import { SIGNED_FIRST } from '@nimble-latch/core/vocabulary';
import type { LOCK, Sequelize } from 'sequelize';
import { within } from '../../platform/db/models.js';
import { z } from 'zod';
import { TtlCache } from '../../platform/db/ttl-cache.js';
import type { Db } from '../../platform/db/sql.js';
import { storedSettings } from './settings.model.js';

export type Settings = z.output<typeof settingsSchema>;

/** A later release beside this one may keep more settings: they are left to it. */
const kept = z.object(settingsSchema.shape);

/** In force on a new installation. */
export const FIRST_SETTINGS: Settings = {
  organisation: 'Nimble Latch',
  country: null,
  totp: { algorithm: 'SHA1', digits: 6, period: 30, codesToProve: 1, window: 1 },
  risk: FIRST_WEIGHTS,
  password: { blockedWords: [] },
  countersign: { actions: [...SIGNED_FIRST], waitMinutes: 60, keepHours: 24 },
  passes: FIRST_PASS_BOUNDS,
  recovery: FIRST_RECOVERY,
  invitations: FIRST_INVITATION_SETTINGS,
};

interface Read {
  readonly settings: Settings;
  readonly version: number;
}

/** The settings as they are now: for what another node's change a moment ago must already hold for. */
export async function readSettings(db: Db, lock?: LOCK): Promise<Read> {
  const row = await storedSettings(db).findByPk(1, { ...(lock ? { lock } : {}), ...within(db) });
  return row ? { settings: kept.parse(row.data), version: row.version } : { settings: FIRST_SETTINGS, version: 1 };
}

/** The settings as this process last read them, at most a few seconds ago. */
export class SettingsCache extends TtlCache<Read> {
  /** @param settingsPool a pool that no transaction holds connections of */
  constructor(settingsPool: Sequelize) {
    super(async () => await readSettings({ sequelize: settingsPool }));
  }
}

declare module '../../platform/deps.js' {
  interface Deps {
    readonly settings: SettingsCache;
  }
}
