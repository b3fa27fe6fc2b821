import { randomBytes } from 'node:crypto';
import { setTimeout as delay } from 'node:timers/promises';
import type { Sequelize } from 'sequelize';
import { MIGRATIONS } from './migrations/index.js';
import { select, write, type Db } from './sql.js';
import { hostWords as words } from '../host-words.js';

/** Seconds that a migrating process holds the lock without renewing it. */
const LEASE_SECONDS = 60;

/** The database was migrated by a newer release. */
export class UnknownMigrations extends Error {
  constructor(readonly names: readonly string[]) {
    super(`The database knows migrations that this release does not: ${names.join(', ')}.`);
  }
}

/** Loaded where it is used alone: whatever is started looks whether something is pending, and next to nothing migrates. */
async function umzugOf(db: Db, at: Date) {
  const { Umzug } = await import('umzug');
  return new Umzug({
    migrations: MIGRATIONS.map(({ name, sql }) => ({
      name,
      up: async () => void (await write(db, typeof sql === 'string' ? sql : sql(at))),
    })),
    storage: {
      executed: async () => await appliedMigrations(db),
      async logMigration({ name }) {
        await write(db, 'INSERT IGNORE INTO schema_migrations (name, applied_at) VALUES (:name, UTC_TIMESTAMP(3))', {
          name,
        });
      },
      async unlogMigration({ name }) {
        await write(db, 'DELETE FROM schema_migrations WHERE name = :name', { name });
      },
    },
    logger: undefined,
  });
}

async function appliedMigrations(db: Db): Promise<string[]> {
  const rows = await select<{ name: string }>(db, 'SELECT name FROM schema_migrations ORDER BY name');
  return rows.map(({ name }) => name);
}

async function prepare(db: Db): Promise<void> {
  await write(
    db,
    'CREATE TABLE IF NOT EXISTS schema_migrations (name VARCHAR(80) NOT NULL PRIMARY KEY, applied_at DATETIME(3) NOT NULL) ENGINE=InnoDB',
  );
  await write(
    db,
    'CREATE TABLE IF NOT EXISTS schema_lock (id TINYINT NOT NULL PRIMARY KEY, holder BINARY(16) NULL, until_at DATETIME(3) NULL) ENGINE=InnoDB',
  );
  await write(db, 'INSERT IGNORE INTO schema_lock (id) VALUES (1)');
}

/**
 * Brings the schema up to date. Several processes may try at once: a lock row with a lease lets one work and the others
 * wait for it; a lock left by a killed process runs out. Each step is safe to run again, since MariaDB commits around it
 * and the step and its record are two writes.
 *
 * @returns names of the steps applied
 */
export async function migrate(sequelize: Sequelize, options: { waitSeconds?: number } = {}): Promise<string[]> {
  const db: Db = { sequelize };
  await prepare(db);
  const holder = randomBytes(16);
  const deadline = Date.now() + (options.waitSeconds ?? 120) * 1000;
  const renew = () =>
    write(
      db,
      `UPDATE schema_lock SET holder = :holder, until_at = UTC_TIMESTAMP(3) + INTERVAL ${LEASE_SECONDS} SECOND
       WHERE id = 1 AND (holder IS NULL OR holder = :holder OR until_at < UTC_TIMESTAMP(3))`,
      { holder },
    );
  while ((await renew()) === 0) {
    if (Date.now() > deadline) throw new Error(words.errors.migratingElsewhere);
    await delay(250);
  }
  const heartbeat = setInterval(() => void renew().catch(() => undefined), (LEASE_SECONDS * 1000) / 4);
  try {
    const unknown = await unknownMigrations(sequelize);
    if (unknown.length > 0) throw new UnknownMigrations(unknown);
    return (await (await umzugOf(db, new Date())).up()).map((done) => done.name);
  } finally {
    clearInterval(heartbeat);
    await write(db, 'UPDATE schema_lock SET holder = NULL, until_at = NULL WHERE id = 1 AND holder = :holder', {
      holder,
    });
  }
}

/** Steps that have not been applied; all of them on an empty database. */
export async function pendingMigrations(sequelize: Sequelize): Promise<string[]> {
  const db: Db = { sequelize };
  const [found] = await select<{ n: number }>(
    db,
    "SELECT COUNT(*) AS n FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'schema_migrations'",
  );
  if (Number(found?.n) === 0) return MIGRATIONS.map(({ name }) => name);
  const applied = new Set(await appliedMigrations(db));
  return MIGRATIONS.map(({ name }) => name).filter((name) => !applied.has(name));
}

/** Steps recorded in the database that this release does not know: a newer one has been here. */
export async function unknownMigrations(sequelize: Sequelize): Promise<string[]> {
  const known = new Set(MIGRATIONS.map(({ name }) => name));
  return (await appliedMigrations({ sequelize })).filter((name) => !known.has(name));
}
