import { FIRST_WEIGHTS, settingsSchema } from '@nimble-latch/api';
import { SIGNED_ACTIONS } from '@nimble-latch/core/vocabulary';
import type { Sequelize } from 'sequelize';
import type { z } from 'zod';
import { selectOne } from '../db/sql.js';

export type Settings = z.output<typeof settingsSchema>;

/** In force on a new installation. */
export const FIRST_SETTINGS: Settings = {
  organisation: 'Nimble Latch',
  totp: { algorithm: 'SHA1', digits: 6, period: 30, codesToProve: 1, window: 1 },
  risk: FIRST_WEIGHTS,
  password: { blockedWords: [] },
  countersign: { actions: [...SIGNED_ACTIONS], waitMinutes: 60, keepHours: 24 },
};

/** How old a node's settings may be: another node's change is followed within this time. */
export const SETTINGS_AGE_MS = 3_000;

interface Read {
  readonly settings: Settings;
  readonly version: number;
}

/** The settings as this process last read them, at most a few seconds ago. */
export class SettingsCache {
  #read: { value: Promise<Read>; at: number } | undefined;
  readonly #aside: Sequelize;

  /** @param aside a pool that no transaction holds connections of */
  constructor(aside: Sequelize) {
    this.#aside = aside;
  }

  /** One reading serves all who ask meanwhile. */
  async current(): Promise<Read> {
    if (!this.#read || performance.now() - this.#read.at > SETTINGS_AGE_MS) {
      const read = { value: this.#load(), at: performance.now() };
      this.#read = read;
      // A reading that failed is no answer for the next one who asks.
      read.value.catch(() => {
        if (this.#read === read) this.#read = undefined;
      });
    }
    return await this.#read.value;
  }

  /** After a change made here. */
  forget(): void {
    this.#read = undefined;
  }

  async #load(): Promise<Read> {
    const row = await selectOne<{ data: string; version: number }>(
      { sequelize: this.#aside },
      'SELECT data, version FROM settings WHERE id = 1',
    );
    return row
      ? { settings: settingsSchema.parse(JSON.parse(row.data)), version: row.version }
      : { settings: FIRST_SETTINGS, version: 1 };
  }
}
