import type { Connection } from 'mariadb';
import type { Sequelize } from 'sequelize';

/** What a statement's placeholders are filled with. */
export type SqlValue = string | number | boolean | Buffer | Date | null | readonly (string | number | Buffer)[];
export type SqlValues = Readonly<Record<string, SqlValue>>;

/** Where statements run: on the connection of a transaction, or each on one of the pool. */
export interface Db {
  readonly sequelize: Sequelize;
  readonly connection?: Connection;
}

/** The part of Sequelize that lends connections; its types leave it out. */
interface Pool {
  getConnection(options: { type: 'write' }): Promise<Connection>;
  releaseConnection(connection: Connection): void;
}

function poolOf(sequelize: Sequelize): Pool {
  return sequelize.connectionManager as unknown as Pool;
}

/**
 * Lends a connection of Sequelize's pool. Sequelize connects, keeps the pool and checks its connections; statements run on
 * the driver's connection itself, so that several can be sent without waiting for each answer (the round trips are what
 * a sign-in costs), and nothing is hydrated.
 */
export async function withConnection<T>(
  sequelize: Sequelize,
  work: (connection: Connection) => Promise<T>,
): Promise<T> {
  const pool = poolOf(sequelize);
  const connection = await pool.getConnection({ type: 'write' });
  try {
    return await work(connection);
  } finally {
    pool.releaseConnection(connection);
  }
}

async function run<T>(db: Db, sql: string, values: SqlValues): Promise<T> {
  const statement = { sql, namedPlaceholders: true };
  if (db.connection) return await db.connection.query<T>(statement, values);
  return await withConnection(db.sequelize, async (connection) => await connection.query<T>(statement, values));
}

/** Rows of a SELECT; `:name` placeholders. */
export async function select<Row extends object>(db: Db, sql: string, values: SqlValues = {}): Promise<Row[]> {
  return await run<Row[]>(db, sql, values);
}

/** The first row, or undefined. */
export async function selectOne<Row extends object>(
  db: Db,
  sql: string,
  values: SqlValues = {},
): Promise<Row | undefined> {
  return (await select<Row>(db, sql, values))[0];
}

/** Rows that an UPDATE or DELETE matched, or an INSERT added. */
export async function write(db: Db, sql: string, values: SqlValues = {}): Promise<number> {
  return (await run<{ affectedRows: number }>(db, sql, values)).affectedRows;
}

/** Runs `work` in a transaction of its own, once; `inTransaction` is what use cases take. */
export async function transact<T>(
  sequelize: Sequelize,
  work: (db: Db & { readonly connection: Connection }) => Promise<T>,
): Promise<T> {
  return await withConnection(sequelize, async (connection) => {
    // Sent together with the first statement; a failure shows there.
    const begun = connection.beginTransaction();
    begun.catch(() => undefined);
    try {
      const result = await work({ sequelize, connection });
      await begun;
      await connection.commit();
      return result;
    } catch (error) {
      await connection.rollback().catch(() => undefined);
      throw error;
    }
  });
}

/** A statement with the values of its placeholders. */
export interface Statement {
  readonly sql: string;
  readonly values: SqlValues;
  /** It must match exactly one row, or the whole transaction is run again. */
  readonly matchesOne?: boolean;
}

/** The INSERT of one row; columns are the names of the values, turned into snake case. */
export function insertion(table: string, values: SqlValues): Statement {
  const names = Object.keys(values);
  const columns = names.map((name) => `\`${snake(name)}\``).join(', ');
  return {
    sql: `INSERT INTO \`${table}\` (${columns}) VALUES (${names.map((name) => `:${name}`).join(', ')})`,
    values,
  };
}

/** Inserts one row. */
export async function insert(db: Db, table: string, values: SqlValues): Promise<void> {
  const statement = insertion(table, values);
  await write(db, statement.sql, statement.values);
}

/** START TRANSACTION and the first reads in one round trip; the rows of each. */
export async function openWith(
  db: Db & { readonly connection: Connection },
  statements: readonly Statement[],
): Promise<(readonly object[])[]> {
  const { sql, values } = joined(statements);
  const results = await run<unknown[]>(db, `BEGIN NOT ATOMIC START TRANSACTION; ${sql}; END`, values);
  // Each result set in its order, then one packet that ends the block.
  return results.filter((result) => Array.isArray(result)) as (readonly object[])[];
}

/** Statements one after the other, their placeholders kept apart. */
function joined(statements: readonly Statement[]): { sql: string; values: SqlValues } {
  const values: Record<string, SqlValue> = {};
  const parts = statements.map((statement, i) => {
    for (const [name, value] of Object.entries(statement.values)) values[`s${i}_${name}`] = value;
    const sql = statement.sql.replace(/:([A-Za-z]\w*)/g, `:s${i}_$1`);
    return statement.matchesOne ? `${sql}; IF ROW_COUNT() <> 1 THEN SIGNAL SQLSTATE '45000'; END IF` : sql;
  });
  return { sql: parts.join('; '), values };
}

/**
 * Several writes and the COMMIT in one compound statement (MariaDB's BEGIN NOT ATOMIC): one round trip instead of one
 * for each, which is most of what a sign-in costs. An error in any of them ends the block before the COMMIT.
 */
export async function writeAndCommit(
  db: Db & { readonly connection: Connection },
  statements: readonly Statement[],
): Promise<void> {
  const { sql, values } = joined(statements);
  await write(db, `BEGIN NOT ATOMIC ${sql}; COMMIT; END`, values);
}

/** The UPDATE of the row with this id; with a version, only while it is still at it, and counting it up. */
export function updateOf(table: string, id: Buffer, values: SqlValues, whileVersion?: number): Statement {
  const sets = Object.keys(values).map((name) => `\`${snake(name)}\` = :${name}`);
  if (whileVersion !== undefined) sets.push('version = version + 1');
  const where = whileVersion === undefined ? 'id = :rowId' : 'id = :rowId AND version = :rowVersion';
  return {
    sql: `UPDATE \`${table}\` SET ${sets.join(', ')} WHERE ${where}`,
    values: { ...values, rowId: id, ...(whileVersion === undefined ? {} : { rowVersion: whileVersion }) },
  };
}

/** Sets columns of the row with this id; answers whether it was there (and, with a version, still at it). */
export async function updateById(
  db: Db,
  table: string,
  id: Buffer,
  values: SqlValues,
  whileVersion?: number,
): Promise<boolean> {
  const statement = updateOf(table, id, values, whileVersion);
  return (await write(db, statement.sql, statement.values)) > 0;
}

function snake(name: string): string {
  return name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`);
}

/** A prefix for LIKE with its wildcards made literal. */
export function likePrefix(text: string): string {
  return `${text.replace(/[\\%_]/g, (c) => `\\${c}`)}%`;
}
