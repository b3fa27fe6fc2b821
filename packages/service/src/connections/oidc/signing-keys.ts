import { createPrivateKey, createPublicKey, generateKeyPair, type JsonWebKey, type KeyObject } from 'node:crypto';
import { promisify } from 'node:util';
import { TOKEN_ALGORITHMS, type TokenAlgorithm, type Id } from '@nimble-latch/core/vocabulary';
import type { Sequelize } from 'sequelize';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import { TtlCache } from '../../platform/db/ttl-cache.js';
import { select, selectToWrite, write } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { newId, idText } from '../../platform/ids.js';
import { signingKeys } from './signing-key.model.js';

const generate = promisify(generateKeyPair);

const DAY_MS = 86_400_000;
/** A key signs for so long; the next one is published some time before, so that every client has met it. */
const SIGNS_MS = 90 * DAY_MS;
const PUBLISHED_BEFORE_MS = 2 * DAY_MS;
/** A retired key stays published while tokens that it signed may still be looked at, and known for hints much longer. */
const PUBLISHED_AFTER_MS = DAY_MS;
const KNOWN_MS = 400 * DAY_MS;

interface KeyRow {
  id: Buffer;
  algorithm: TokenAlgorithm;
  active_for: TokenAlgorithm | null;
  public_jwk: string;
  private_sealed: Buffer;
  created_at: Date;
  active_at: Date | null;
  retired_at: Date | null;
}

/** The keys that sign ID tokens, as this process last read them. */
export class SigningKeys {
  readonly #private = new Map<string, KeyObject>();
  readonly #rows: TtlCache<KeyRow[]>;

  /** @param settingsPool a pool that no transaction holds connections of */
  constructor(settingsPool: Sequelize) {
    this.#rows = new TtlCache(
      async () => await select({ sequelize: settingsPool }, 'SELECT * FROM signing_keys ORDER BY id'),
    );
  }

  /** The key that signs now, made where there is none yet: when the first application that wants it is connected. */
  async signer(deps: Deps, algorithm: TokenAlgorithm): Promise<{ kid: string; key: KeyObject }> {
    const find = async () => (await this.#rows.current()).find((row) => row.active_for === algorithm);
    let row = await find();
    if (!row) {
      await keepSigningKeys(deps, { make: algorithm });
      this.forget();
      row = await find();
    }
    const kid = idText(row!.id);
    let signer = this.#private.get(kid);
    if (!signer) {
      const sealed = row!.private_sealed;
      const der = await deps.keys.opening((keys) => keys.open('token', `signing-key/${kid}`, sealed));
      signer = createPrivateKey({ key: der, format: 'der', type: 'pkcs8' });
      this.#private.set(kid, signer);
    }
    return { kid, key: signer };
  }

  /** The public keys as clients fetch them (RFC 7517): what signs, what will, and what has just stopped. */
  async published(now: Date): Promise<readonly object[]> {
    const rows = await this.#rows.current();
    return rows
      .filter((row) => !row.retired_at || now.getTime() - row.retired_at.getTime() < PUBLISHED_AFTER_MS)
      .map((row) => ({ ...publicJwk(row), kid: idText(row.id), alg: row.algorithm, use: 'sig' }));
  }

  /** The public key of a token that we signed once, also long ago. */
  async known(kid: string): Promise<KeyObject | undefined> {
    const row = (await this.#rows.current()).find(({ id }) => idText(id) === kid);
    return row && createPublicKey({ key: publicJwk(row), format: 'jwk' });
  }

  forget(): void {
    this.#rows.forget();
  }
}

const publicJwk = (row: KeyRow) => JSON.parse(row.public_jwk) as JsonWebKey;

/** A new key pair: RSA of 3072 bits, or P-256 (RFC 7518 §3.3, §3.4). */
async function makePair(algorithm: TokenAlgorithm): Promise<{ publicKey: KeyObject; privateKey: KeyObject }> {
  return algorithm === 'RS256'
    ? await generate('rsa', { modulusLength: 3072 })
    : await generate('ec', { namedCurve: 'P-256' });
}

async function addKey(deps: Deps, work: Work, algorithm: TokenAlgorithm, active: boolean): Promise<void> {
  const { publicKey, privateKey } = await makePair(algorithm);
  const id = newId(deps);
  const der = privateKey.export({ format: 'der', type: 'pkcs8' });
  await signingKeys(work).create(
    {
      id,
      algorithm,
      activeFor: active ? algorithm : null,
      publicJwk: JSON.stringify(publicKey.export({ format: 'jwk' })),
      privateSealed: deps.keys.current.seal('token', `signing-key/${id}`, der, deps.random(12)),
      createdAt: work.now,
      activeAt: active ? work.now : null,
    },
    { transaction: work.transaction },
  );
  await trailKey(work, 'signing-key.made', id, algorithm);
}

async function retire(work: Work, row: KeyRow): Promise<void> {
  await write(work, 'UPDATE signing_keys SET active_for = NULL, retired_at = :now WHERE id = :id', {
    id: row.id,
    now: work.now,
  });
  await trailKey(work, 'signing-key.retired', idText(row.id), row.algorithm);
}

async function trailKey(work: Work, action: 'signing-key.made' | 'signing-key.retired', id: Id, algorithm: string) {
  await work.trail({
    actor: { kind: 'service', id: null },
    action,
    target: { kind: 'key', id },
    person: null,
    origin: null,
    reason: null,
    details: { algorithm },
  });
}

/**
 * Keeps a key signing for each algorithm that is in use: publishes the next before the time of the one before it is over,
 * lets it take over, and forgets what no hint can be signed with any more.
 *
 * @param how `make`: an algorithm that needs a key now; `atOnce`: retires what signs now, whatever its age
 */
export async function keepSigningKeys(
  deps: Deps,
  { make, atOnce = false }: { readonly make?: TokenAlgorithm; readonly atOnce?: boolean } = {},
): Promise<string> {
  let made = 0;
  for (const algorithm of TOKEN_ALGORITHMS) {
    made += await inTransaction(deps, async (work) => {
      const rows = await selectToWrite<KeyRow>(
        work,
        'SELECT * FROM signing_keys WHERE algorithm = :algorithm AND retired_at IS NULL ORDER BY id',
        { algorithm },
      );
      const signing = rows.find((row) => row.active_for !== null);
      const waiting = rows.find((row) => row.active_for === null);
      const age = signing?.active_at ? work.now.getTime() - signing.active_at.getTime() : Infinity;
      if (signing && waiting && (age > SIGNS_MS || atOnce)) {
        await retire(work, signing);
        await write(work, 'UPDATE signing_keys SET active_for = :algorithm, active_at = :now WHERE id = :id', {
          algorithm,
          now: work.now,
          id: waiting.id,
        });
        return 0;
      }
      if (!signing && make !== algorithm) return 0;
      if (signing && !atOnce && (waiting || age < SIGNS_MS - PUBLISHED_BEFORE_MS)) return 0;
      if (signing && atOnce) await retire(work, signing);
      await addKey(deps, work, algorithm, !signing || atOnce);
      return 1;
    }).catch((error: unknown) => {
      // Another node was at the same: its key serves.
      if (brokenUniqueIndex(error) === 'signing_keys_active') return 0;
      throw error;
    });
  }
  await write(deps, 'DELETE FROM signing_keys WHERE retired_at < :before', {
    before: new Date(deps.now().getTime() - KNOWN_MS),
  });
  return `${made} made`;
}

declare module '../../platform/deps.js' {
  interface Deps {
    readonly signing: SigningKeys;
  }
}
