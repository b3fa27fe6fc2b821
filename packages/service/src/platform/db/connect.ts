import { readFileSync } from 'node:fs';
import type { Logger } from 'pino';
import { Sequelize, type Options } from 'sequelize';
import type { DatabaseConfig } from '../config.js';
import { sayWhere } from './models.js';
import { DatabasePulse, goBy } from './pulse.js';
import { PATIENCE } from './sql.js';

// The driver writes and reads times by the zone of the process; all of ours are UTC, wherever the host believes to be.
process.env['TZ'] = 'UTC';

/**
 * One pool. Strict mode, UTC and READ COMMITTED are set for each connection, whatever the server's defaults are:
 * conditional writes and row locks decide races here, and READ COMMITTED takes the fewest gap locks for them.
 */
export function connectDatabase(config: DatabaseConfig, pulse?: DatabasePulse): Sequelize {
  const sequelize = new Sequelize({
    dialect: 'mariadb',
    host: config.host,
    port: config.port,
    database: config.name,
    username: config.user,
    password: config.password,
    timezone: '+00:00',
    // Sequelize would add the zone to the opening statements below, once more at every attempt to connect.
    keepDefaultTimezone: true,
    logging: false,
    pool: { max: config.connections, min: 1, acquire: ACQUIRE_MS, idle: 60_000 },
    define: { underscored: true, timestamps: false, freezeTableName: true },
    dialectOptions: {
      connectTimeout: CONNECT_MS,
      ...(pulse ? { stream: pulse.socket } : {}),
      // Numbers beyond 2^53 do not occur here; dates come as Date, read by the driver itself.
      bigIntAsNumber: true,
      insertIdAsNumber: true,
      decimalAsNumber: true,
      typeCast: undefined,
      // Writes answer how many rows they matched, whether or not a value changed.
      foundRows: true,
      // Every text of the service fits; the server's own limit is 16,382 over all connections of all nodes.
      prepareCacheLength: 200,
      initSql: [
        "SET SESSION sql_mode = 'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION,ERROR_FOR_DIVISION_BY_ZERO,NO_ZERO_DATE,NO_ZERO_IN_DATE'",
        "SET SESSION time_zone = '+00:00'",
        'SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED',
        PATIENCE,
        // Where nobody watches over it (migrations), a statement may take as long as it takes.
        ...(pulse ? [`SET SESSION max_statement_time = ${STATEMENT_SECONDS}`] : []),
      ],
      ...tlsOf(config),
    },
  } as Options);
  sayWhere(sequelize);
  if (pulse) goBy(sequelize, pulse);
  return sequelize;
}

/** How long a request waits for a free connection, a new one for the server, and any statement for its end. */
const ACQUIRE_MS = 5_000;
const CONNECT_MS = 3_000;
const STATEMENT_SECONDS = 60;

const tlsOf = (config: DatabaseConfig) =>
  config.tlsCaFile ? { ssl: { ca: readFileSync(config.tlsCaFile), rejectUnauthorized: true } } : {};

/** Watches over one database for all pools to it. */
export const watchDatabase = (config: DatabaseConfig, log: Logger): DatabasePulse =>
  new DatabasePulse(
    {
      host: config.host,
      port: config.port,
      user: config.user,
      password: config.password,
      database: config.name,
      ...tlsOf(config),
    },
    log,
  );
