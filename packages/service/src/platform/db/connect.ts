import { readFileSync } from 'node:fs';
import { setTimeout as delay } from 'node:timers/promises';
import * as mariadb from 'mariadb';
import type { Logger } from 'pino';
import { Sequelize, type Options } from 'sequelize';
import type { DatabaseConfig } from '../config.js';
import { claimWhatIsLocked } from './claims.js';
import { nameOf, type Ssl } from './members.js';
import { sayWhere } from './models.js';
import { DatabasePulse, goBy } from './pulse.js';
import { prepareWanted } from './prepared.js';
import { PATIENCE } from './sql.js';

// The driver writes and reads times by the zone of the process; all of ours are UTC, wherever the host believes to be.
process.env['TZ'] = 'UTC';

/**
 * One pool. Strict mode, UTC and READ COMMITTED are set for each connection, whatever the server's defaults are:
 * conditional writes and row locks decide races here, and READ COMMITTED takes the fewest gap locks for them.
 *
 * @param pulse says which member it connects to
 * @param patient a statement may take as long as it takes (migrations)
 */
export function connectDatabase(
  config: DatabaseConfig,
  pulse: DatabasePulse,
  { patient = false }: { readonly patient?: boolean } = {},
): Sequelize {
  const sequelize = new Sequelize({
    dialect: 'mariadb',
    // Otherwise looked for by name beside whatever file Sequelize is in, which after the build is ours.
    dialectModule: mariadb,
    database: config.name,
    username: config.user,
    password: config.password,
    timezone: '+00:00',
    // Sequelize would add the zone to the opening statements below, once more at every attempt to connect.
    keepDefaultTimezone: true,
    logging: false,
    pool: { max: config.connections, min: 1, acquire: acquireMs(config), idle: 60_000 },
    define: { underscored: true, timestamps: false, freezeTableName: true },
    dialectOptions: {
      connectTimeout: connectMs(config),
      // Numbers beyond 2^53 do not occur here; dates come as Date, read by the driver itself.
      bigIntAsNumber: true,
      insertIdAsNumber: true,
      decimalAsNumber: true,
      typeCast: undefined,
      // Writes answer how many rows they matched, whether or not a value changed.
      foundRows: true,
      // For the driver's batches; all other statements: prepared.ts.
      prepareCacheLength: 20,
      initSql: [
        "SET SESSION sql_mode = 'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION,ERROR_FOR_DIVISION_BY_ZERO,NO_ZERO_DATE,NO_ZERO_IN_DATE'",
        "SET SESSION time_zone = '+00:00'",
        'SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED',
        PATIENCE,
        ...(patient ? [] : [`SET SESSION max_statement_time = ${STATEMENT_SECONDS}`]),
      ],
      ...tlsOf(config),
    },
  } as Options);
  sayWhere(sequelize);
  claimWhatIsLocked(sequelize, () => pulse.clustered);
  const pool = sequelize.connectionManager;
  const takeBack = pool.releaseConnection.bind(pool);
  pool.releaseConnection = (connection) => {
    prepareWanted(connection as mariadb.Connection);
    takeBack(connection);
  };
  goBy(sequelize, pulse);
  return sequelize;
}

/**
 * How long a request waits for a free connection. While a cluster gives a member up, every COMMIT waits, and with them all connections:
 * some six seconds unless its members are told otherwise.
 */
const acquireMs = ({ members, waitSeconds }: DatabaseConfig): number =>
  waitSeconds === undefined ? (members.length > 1 ? 10_000 : 5_000) : waitSeconds * 1_000;
/** How long a new connection waits for its server: where there is another, not for long. */
const connectMs = (config: DatabaseConfig): number => (config.members.length > 1 ? CONNECT_MS : acquireMs(config));
const CONNECT_MS = 3_000;
/** How long any statement may take. */
const STATEMENT_SECONDS = 60;

const tlsOf = (config: DatabaseConfig): { readonly ssl?: Ssl } =>
  config.tlsCaFile ? { ssl: { ca: readFileSync(config.tlsCaFile), rejectUnauthorized: true } } : {};

/** Watches over the database for all pools to it. */
export const watchDatabase = (config: DatabaseConfig, log: Logger): DatabasePulse =>
  new DatabasePulse(
    config.members,
    { user: config.user, password: config.password, database: config.name, ...tlsOf(config) },
    log,
  );

/**
 * Waits for a member that serves. One that is about to (it fetches what it missed, or waits for the others) is waited for, and the log says
 * what for; where nothing answers at all, whoever starts is told at once.
 *
 * @returns false where no member serves, nor is about to
 */
export async function findMember(pulse: DatabasePulse, log: Logger, waitMs = MEMBER_MS): Promise<boolean> {
  const until = Date.now() + waitMs;
  for (let told = 0; ;) {
    if (await pulse.find()) return true;
    const waiting = pulse.members.filter(({ standing }) => standing.state === 'not-ready');
    if (waiting.length === 0 || Date.now() > until) return false;
    if (Date.now() - told > TELL_EVERY_MS) {
      const members = waiting.map(({ member, standing }) => `${nameOf(member)}: ${standing.why ?? standing.state}`);
      log.warn({ members }, 'no member of the database serves yet; this waits until one does');
      told = Date.now();
    }
    await delay(FIND_EVERY_MS);
  }
}

/** A state transfer of a large installation takes minutes. */
const MEMBER_MS = 1_800_000;
const TELL_EVERY_MS = 15_000;
const FIND_EVERY_MS = 500;
