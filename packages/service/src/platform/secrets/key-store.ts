import type { KeyObject } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { randomBytes } from 'node:crypto';
import { ed25519FromSeed, ed25519PublicKeyPem } from '@nimble-latch/core/crypto';
import {
  KeySet,
  MASTER_KEY_BYTES,
  openWithMaster,
  sealWithMaster,
  UnknownKey,
  type Key,
} from '@nimble-latch/core/secrets';
import { KEY_PURPOSES, type KeyPurpose, type KeyState, type Id } from '@nimble-latch/core/vocabulary';
import type { Sequelize } from 'sequelize';
import { select, write, type Db } from '../db/sql.js';
import { newId, idText } from '../ids.js';
import { hostWords as words } from '../host-words.js';
import { say } from '@nimble-latch/api';
import { keySet } from './key-set.model.js';
import { within } from '../db/models.js';

/** Nothing can be opened without it: says what is wrong with the master key or the key set, and the remedy. */
export class KeySetError extends Error {}

/** Reads the master key from its file. */
export function readMasterKey(file: string): Buffer {
  let content: string;
  try {
    content = readFileSync(file, 'utf8').trim();
  } catch {
    throw new KeySetError(say(words.errors.masterKeyUnreadable, { file }));
  }
  const master = Buffer.from(content, 'base64');
  if (master.length !== MASTER_KEY_BYTES)
    throw new KeySetError(say(words.errors.masterKeyGarbled, { file, bytes: MASTER_KEY_BYTES }));
  return master;
}

/** Makes a master key file, readable by its owner only; fails if there is one. */
export function createMasterKey(file: string): Buffer {
  const master = randomBytes(MASTER_KEY_BYTES);
  writeFileSync(file, `${master.toString('base64')}\n`, { mode: 0o600, flag: 'wx' });
  return master;
}

interface KeyRow {
  id: Buffer;
  purpose: KeyPurpose;
  state: KeyState;
  material: Buffer;
  public_pem: string | null;
  created_at: Date;
}

/** Adds a key for one purpose. While there is an active one, it steps back to reading first, in the same transaction. */
export async function addKey(db: Db, master: Buffer, purpose: KeyPurpose, now: Date): Promise<Id> {
  const material = randomBytes(32);
  const id = newId({ now: () => now, random: randomBytes, sequence: { atMs: 0, count: 0 } });
  await write(db, "UPDATE key_set SET state = 'reading', active_for = NULL WHERE active_for = :purpose", { purpose });
  await keySet(db).create(
    {
      id,
      purpose,
      state: 'active',
      activeFor: purpose,
      material: sealWithMaster(master, randomBytes(12), id, purpose, material),
      publicPem: purpose === 'trail' ? ed25519PublicKeyPem(ed25519FromSeed(material)) : null,
      createdAt: now,
    },
    { ...within(db) },
  );
  return id;
}

/** Adds keys for the purposes that have none: all of them on a new installation. */
export async function addMissingKeys(db: Db, master: Buffer, now: Date): Promise<KeyPurpose[]> {
  const present = await select<{ purpose: KeyPurpose }>(
    db,
    'SELECT active_for AS purpose FROM key_set WHERE active_for IS NOT NULL',
  );
  const missing = KEY_PURPOSES.filter((purpose) => !present.some((row) => row.purpose === purpose));
  for (const purpose of missing) await addKey(db, master, purpose, now);
  return missing;
}

/**
 * The key set as this process knows it. A key that another node has just made is fetched when it is first met in a
 * record, and every few seconds anyway.
 */
export class KeyStore {
  #keys: KeySet;
  #rows: readonly KeyRow[];
  #reloading: Promise<void> | undefined;
  #signing: { id: Id; key: KeyObject } | undefined;
  readonly #master: Buffer;
  readonly #sequelize: Sequelize;

  private constructor(sequelize: Sequelize, master: Buffer, rows: readonly KeyRow[]) {
    this.#sequelize = sequelize;
    this.#master = master;
    this.#rows = rows;
    this.#keys = this.#unwrap(rows);
  }

  static async open(sequelize: Sequelize, master: Buffer): Promise<KeyStore> {
    const rows = await KeyStore.#read(sequelize);
    const missing = KEY_PURPOSES.filter(
      (purpose) => !rows.some((row) => row.purpose === purpose && row.state === 'active'),
    );
    if (missing.length > 0) throw new KeySetError(say(words.errors.keysMissing, { purposes: missing.join(', ') }));
    return new KeyStore(sequelize, master, rows);
  }

  /** Seals, opens, hashes. Take it anew for each piece of work. */
  get current(): KeySet {
    return this.#keys;
  }

  get master(): Buffer {
    return this.#master;
  }

  /** Keys without their material. */
  list(): { id: Id; purpose: KeyPurpose; state: KeyState; createdAt: Date; publicPem: string | null }[] {
    return this.#rows.map((row) => ({
      id: idText(row.id),
      purpose: row.purpose,
      state: row.state,
      createdAt: row.created_at,
      publicPem: row.public_pem,
    }));
  }

  /** The private key that seals the trail now. */
  signing(): { id: Id; key: KeyObject } {
    const active = this.#keys.active('trail');
    if (this.#signing?.id !== active.id) this.#signing = { id: active.id, key: ed25519FromSeed(active.material) };
    return this.#signing;
  }

  /** Runs `work` with the key set; when it meets a key that is not known here, loads the set anew and runs it again. */
  async opening<T>(work: (keys: KeySet) => T): Promise<T> {
    try {
      return work(this.#keys);
    } catch (error) {
      if (!(error instanceof UnknownKey)) throw error;
      await this.reload();
      return work(this.#keys);
    }
  }

  /** Reads the key set anew; one reading serves all who ask meanwhile. */
  async reload(): Promise<void> {
    this.#reloading ??= (async () => {
      const rows = await KeyStore.#read(this.#sequelize);
      this.#keys = this.#unwrap(rows);
      this.#rows = rows;
    })().finally(() => {
      this.#reloading = undefined;
    });
    await this.#reloading;
  }

  #unwrap(rows: readonly KeyRow[]): KeySet {
    const keys: Key[] = [];
    for (const row of rows) {
      const id = idText(row.id);
      const material = openWithMaster(this.#master, row.material, id, row.purpose);
      if (!material) throw new KeySetError(say(words.errors.masterKeyWrong, { id }));
      keys.push({ id, purpose: row.purpose, state: row.state, material });
    }
    return new KeySet(keys);
  }

  static async #read(sequelize: Sequelize): Promise<KeyRow[]> {
    return await select<KeyRow>(
      { sequelize },
      'SELECT id, purpose, state, material, public_pem, created_at FROM key_set ORDER BY id',
    );
  }
}
