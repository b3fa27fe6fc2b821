import { settingsSchema } from '@nimble-latch/api';
import type { Sequelize } from 'sequelize';
import type { z } from 'zod';
import { selectOne } from '../db/sql.js';

export type Settings = z.output<typeof settingsSchema>;

/** In force on a new installation. */
export const FIRST_SETTINGS: Settings = {
  organisation: 'Nimble Latch',
  totp: { algorithm: 'SHA1', digits: 6, period: 30, codesToProve: 1, window: 1 },
};

/** How old a node's settings may be: another node's change is followed within this time. */
export const SETTINGS_AGE_MS = 3_000;

/** The settings as this process last read them, at most a few seconds ago. */
export class SettingsCache {
  #read: { settings: Settings; version: number; at: number } | undefined;
  readonly #sequelize: Sequelize;

  constructor(sequelize: Sequelize) {
    this.#sequelize = sequelize;
  }

  async current(): Promise<{ settings: Settings; version: number }> {
    if (!this.#read || performance.now() - this.#read.at > SETTINGS_AGE_MS) {
      const row = await selectOne<{ data: string; version: number }>(
        { sequelize: this.#sequelize },
        'SELECT data, version FROM settings WHERE id = 1',
      );
      const settings = row ? settingsSchema.parse(JSON.parse(row.data)) : FIRST_SETTINGS;
      this.#read = { settings, version: row?.version ?? 1, at: performance.now() };
    }
    return this.#read;
  }

  /** After a change made here. */
  forget(): void {
    this.#read = undefined;
  }
}
