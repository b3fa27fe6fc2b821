import { randomBytes } from 'node:crypto';
import { EventEmitter } from 'node:events';
import { readFileSync } from 'node:fs';
import type { Logger } from 'pino';
import type { Sequelize } from 'sequelize';
import type { Config } from '../platform/config.js';
import { connectDatabase, findMember, watchDatabase } from '../platform/db/connect.js';
import { nameOf } from '../platform/db/members.js';
import type { DatabasePulse } from '../platform/db/pulse.js';
import { pendingMigrations, unknownMigrations } from '../platform/db/migrate.js';
import { write } from '../platform/db/sql.js';
import { Batcher } from '../platform/db/batcher.js';
import type { Deps, PlatformDeps } from '../platform/deps.js';
import { provided } from './areas.js';
import { idBytes } from '../platform/ids.js';
import { HeavyWork } from '../platform/heavy/heavy-work.js';
import { createLogger } from '../platform/log/logger.js';
import { createMetrics } from '../platform/log/metrics.js';
import { KeySetError, KeyStore, readMasterKey } from '../platform/secrets/key-store.js';
import { PasswordHasher } from '../platform/secrets/password-hasher.js';
import { sealUpTo } from '../platform/trail/sealer.js';
import { TrailWriter } from '../platform/trail/writer.js';
import { hostWords as words } from '../platform/host-words.js';
import { say } from '@nimble-latch/api';

/** Something that whoever runs the service has to mend; the text says what and how. */
export class StartError extends Error {}

export const VERSION = (
  JSON.parse(readFileSync(new URL('../../package.json', import.meta.url), 'utf8')) as { version: string }
).version;

/** Bytes asked of the system at once, for the many small requests (nonces, ids): each request alone costs microseconds. */
const POOL_BYTES = 8_192;

/** Random bytes of the system's generator. Each byte is given out once, and none of a small request is kept here after. */
function pooledRandom(): (bytes: number) => Buffer {
  let pool = Buffer.alloc(0);
  return (bytes) => {
    if (bytes > 16) return randomBytes(bytes);
    if (pool.length < bytes) pool = randomBytes(POOL_BYTES);
    const given = Buffer.from(pool.subarray(0, bytes));
    pool.fill(0, 0, bytes);
    pool = pool.subarray(bytes);
    return given;
  };
}

/**
 * Finds the member of the database to work with, and waits for one that is about to serve.
 *
 * @throws StartError where there is none, with what each says
 */
async function reachDatabase({ database }: Config, log: Logger): Promise<DatabasePulse> {
  const pulse = watchDatabase(database, log);
  if (await findMember(pulse, log)) return pulse;
  await pulse.stop();
  const all = pulse.members.map(({ member, standing }) => ({ name: nameOf(member), ...standing }));
  const states = all.map(({ name, state, why }) => `${name}: ${why ?? state}`).join(', ');
  throw new StartError(
    say(words.errors.databaseUnusable, {
      name: database.name,
      members: all.map(({ name }) => name).join(', '),
      why: all.some(({ state }) => state === 'refuses')
        ? all.some(({ why }) => why === 'ER_ACCESS_DENIED_ERROR')
          ? words.errors.databaseRefusesUser
          : words.errors.databaseMissing
        : all.some(({ state }) => state === 'not-ready')
          ? say(words.errors.databaseNotReady, { states })
          : words.errors.databaseSilent,
    }),
  );
}

/**
 * Does something that needs the database and no more of the service: what makes its tables, or its keys.
 *
 * @param patient a statement may take as long as it takes (migrations)
 */
export async function withDatabase<T>(
  config: Config,
  work: (sequelize: Sequelize) => Promise<T>,
  { patient = false }: { readonly patient?: boolean } = {},
): Promise<T> {
  const pulse = await reachDatabase(config, createLogger(config.logLevel === 'silent' ? 'silent' : 'warn'));
  const sequelize = connectDatabase(config.database, pulse, { patient });
  try {
    return await work(sequelize);
  } finally {
    await Promise.all([pulse.stop(), sequelize.close()]);
  }
}

/** Connects and opens the key set: what the service and its chores both need. */
export async function openRuntime(config: Config, log = createLogger(config.logLevel)): Promise<Deps> {
  const pulse = await reachDatabase(config, log);
  const sequelize = connectDatabase(config.database, pulse);
  // Keys and settings are read while transactions hold connections of the main pool: with a pool of their own they
  // never wait for one that waits for them.
  const settingsPool = connectDatabase({ ...config.database, connections: 2 }, pulse);
  try {
    const { name } = config.database;
    const pending = await pendingMigrations(sequelize);
    if (pending.length > 0) throw new StartError(say(words.errors.databaseBehind, { name, steps: pending.length }));
    const unknown = await unknownMigrations(sequelize);
    if (unknown.length > 0)
      log.warn(
        { names: unknown },
        'the database was migrated by a newer release; this one runs beside it until it is replaced',
      );
    const keys = await KeyStore.open(settingsPool, readMasterKey(config.masterKeyFile));
    pulse.start();
    const now = () => new Date();
    const basis: PlatformDeps = {
      config,
      sequelize,
      settingsPool,
      pulse,
      batcher: new Batcher({ sequelize }),
      now,
      random: pooledRandom(),
      sequence: { atMs: 0, count: 0 },
      keys,
      hasher: new PasswordHasher(),
      heavy: new HeavyWork(log),
      trail: new TrailWriter(now()),
      metrics: createMetrics(),
      bells: new EventEmitter(),
      log,
      version: VERSION,
    };
    return { ...basis, ...provided(basis) };
  } catch (error) {
    await Promise.all([pulse.stop(), sequelize.close(), settingsPool.close()]);
    if (error instanceof KeySetError) throw new StartError(error.message);
    throw error;
  }
}

/** Seals what this process wrote, takes it off the list of nodes, and lets go of the database. */
export async function closeRuntime(deps: Deps): Promise<void> {
  try {
    const settled = deps.trail.close();
    await sealUpTo(deps, deps.trail.id, deps.trail.settledUpTo());
    // A writer goes when all that it wrote is sealed. Whatever is left is found by its row, and sealed by another node.
    if (settled)
      await write(
        deps,
        `DELETE FROM nodes WHERE id = :id AND NOT EXISTS (SELECT 1 FROM trail_entries e WHERE e.writer = :id
           AND e.number > COALESCE((SELECT MAX(s.to_number) FROM trail_seals s WHERE s.writer = :id), 0))`,
        { id: idBytes(deps.trail.id) },
      );
  } catch (error) {
    deps.log.warn({ error }, 'the last trail entries could not be sealed; another node will');
  }
  await Promise.all([deps.pulse.stop(), deps.heavy.stop(), deps.sequelize.close(), deps.settingsPool.close()]);
}
