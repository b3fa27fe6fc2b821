import { setTimeout as delay } from 'node:timers/promises';
import { LRUCache } from 'lru-cache';
import type { Connection } from 'mariadb';
import type { Sequelize, Transaction } from 'sequelize';
import { timeText } from './columns.js';
import { isRetryable, lostToAnother, TRANSACTION_GONE, TransactionGone } from './errors.js';
import { execute, isOpen } from './prepared.js';

/** What a statement's placeholders are filled with. */
export type SqlValue = string | number | boolean | Buffer | Date | null | readonly (string | number | Buffer)[];
export type SqlValues = Readonly<Record<string, SqlValue>>;

/** Where statements run: in a transaction, or each by itself on a connection of the pool. */
export interface Db {
  readonly sequelize: Sequelize;
  readonly transaction?: Transaction;
}

/**
 * Lends a connection of Sequelize's pool. Sequelize connects, keeps the pool and checks its connections; the statements of
 * this file run on the driver's connection itself: prepared, so that the server parses each once (docs/decisions/6-models-and-sql.md
 * has the figures), several of them without waiting for each answer, and nothing is hydrated.
 */
export async function withConnection<T>(
  sequelize: Sequelize,
  work: (connection: Connection) => Promise<T>,
): Promise<T> {
  const pool = sequelize.connectionManager;
  const connection = (await pool.getConnection({ type: 'write' })) as Connection;
  try {
    return await work(connection);
  } finally {
    pool.releaseConnection(connection);
  }
}

/** The driver's connection of a transaction; none once it has ended, since another may have it by then. */
export function connectionOf(transaction: Transaction): Connection {
  const { connection, finished } = transaction as Transaction & { connection?: Connection; finished?: string };
  if (finished !== undefined || connection === undefined)
    throw new Error('a statement was to run in a transaction that has ended');
  return connection;
}

/** A statement as the driver takes it: its names turned into question marks, in their order. */
export interface Compiled {
  readonly text: string;
  readonly names: readonly string[];
  /** It locks what it reads. */
  readonly locks: boolean;
}

/** More than the service has texts: only those put together at run time push others out. */
const compiledStatements = new LRUCache<string, Compiled>({ max: 1_000 });

const LITERAL = /'(?:[^'\\]|\\.|'')*'/g;
const LOCKS = /\bFOR UPDATE\b|\bLOCK IN SHARE MODE\b/;

export function compile(sql: string): Compiled {
  const known = compiledStatements.get(sql);
  if (known) return known;
  const names: string[] = [];
  // Literals are stepped over: a colon in one is not a name.
  const text = sql.replace(/'(?:[^'\\]|\\.|'')*'|:([A-Za-z]\w*)/g, (whole, name: string | undefined) => {
    if (name === undefined) return whole;
    names.push(name);
    return '?';
  });
  const compiled = { text, names, locks: LOCKS.test(text.replace(LITERAL, '')) };
  compiledStatements.set(sql, compiled);
  return compiled;
}

/** A value as the driver sends it. */
export function sent(value: SqlValue): unknown {
  if (value instanceof Date) return timeText(value);
  // The driver sends what is beyond 32 bits as a floating-point number, which no index serves.
  if (typeof value === 'number' && Math.abs(value) > 0x7fff_ffff && Number.isInteger(value)) return BigInt(value);
  return value;
}

/** Statements with more parameters than this are not kept prepared: they are bulk work, and hardly twice the same. */
const MOST_PREPARED = 240;

export function filledIn(names: readonly string[], values: SqlValues): SqlValue[] {
  return names.map((name) => {
    const value = values[name];
    if (value === undefined) throw new TypeError(`No value for :${name}`);
    return value;
  });
}

/** Runs a statement on a connection. */
async function runOn<T>(connection: Connection, sql: string, values: SqlValues): Promise<T> {
  const { text, names } = compile(sql);
  return await runFilled<T>(connection, text, filledIn(names, values));
}

/** Prepared once for each connection, unless it is bulk work ({@link execute}). */
export async function runFilled<T>(connection: Connection, text: string, filled: readonly SqlValue[]): Promise<T> {
  if (!filled.some((value) => Array.isArray(value)))
    return filled.length <= MOST_PREPARED
      ? await execute<T>(connection, text, filled.map(sent))
      : await connection.query<T>(text, filled.map(sent));
  let next = 0;
  const spread: unknown[] = [];
  const withLists = text.replace(/'(?:[^'\\]|\\.|'')*'|\?/g, (whole) => {
    if (whole !== '?') return whole;
    const value = filled[next++]!;
    const members = Array.isArray(value) ? padded(value as SqlValue[]) : [value];
    spread.push(...members.map(sent));
    return members.map(() => '?').join(', ');
  });
  return spread.length <= MOST_PREPARED
    ? await execute<T>(connection, withLists, spread)
    : await connection.query<T>(withLists, spread);
}

/** A list for IN, its last member repeated up to a power of two: a few texts serve every length and stay prepared. */
function padded(list: readonly SqlValue[]): readonly SqlValue[] {
  const length = 2 ** Math.ceil(Math.log2(list.length));
  return [...list, ...new Array<SqlValue>(length - list.length).fill(list[list.length - 1]!)];
}

async function run<T>(db: Db, sql: string, values: SqlValues): Promise<T> {
  if (db.transaction) {
    const connection = connectionOf(db.transaction);
    const answer = await runOn<T>(connection, sql, values);
    mustBeOpen(connection);
    return answer;
  }
  return await byItself(db.sequelize, async (connection) => await runOn<T>(connection, sql, values));
}

/** Runs of a statement that stands by itself before a conflict is given back. */
const MOST_RUNS = 6;

/** Does again what stands by itself, after an error that may be answered so: nothing of it was kept. */
async function again<T>(doing: () => Promise<T>, mayBe: (error: unknown) => boolean): Promise<T> {
  for (let runs = 1; ; runs++) {
    try {
      return await doing();
    } catch (error) {
      if (!mayBe(error) || runs === MOST_RUNS) throw error;
    }
    await delay(Math.random() * 5 * 2 ** runs);
  }
}

/** Sends one statement that is a transaction of its own. */
export const byItself = async <T>(sequelize: Sequelize, send: (connection: Connection) => Promise<T>): Promise<T> =>
  await again(async () => await withConnection(sequelize, send), lostToAnother);

/**
 * @throws TransactionGone where the server says that the transaction is no longer open: what comes next would be kept by itself
 */
export function mustBeOpen(connection: Connection): void {
  if (!isOpen(connection)) throw new TransactionGone();
}

/** Rows of a SELECT; `:name` placeholders. One that locks says what for: {@link selectToWrite}, and `selectToHold` of claims.ts. */
export async function select<Row extends object>(db: Db, sql: string, values: SqlValues = {}): Promise<Row[]> {
  if (compile(sql).locks) throw new TypeError(`a read locks rows without saying what for: ${sql.slice(0, 80)}`);
  return await run<Row[]>(db, sql, values);
}

/**
 * Rows that this use case changes before it ends, or that could not be changed to any harm; they are locked until then. Only what is
 * changed do a cluster's other members know of: a lock by itself they don't see.
 *
 * @param sql the read; FOR UPDATE is added
 * @param others what somebody else has locked: waited for, or passed over
 */
export async function selectToWrite<Row extends object>(
  db: Db,
  sql: string,
  values: SqlValues = {},
  others?: 'SKIP LOCKED',
): Promise<Row[]> {
  return await run<Row[]>(db, `${sql} FOR UPDATE${others === undefined ? '' : ` ${others}`}`, values);
}

/** The first of {@link selectToWrite}, or undefined. */
export async function selectOneToWrite<Row extends object>(
  db: Db,
  sql: string,
  values: SqlValues = {},
  others?: 'SKIP LOCKED',
): Promise<Row | undefined> {
  return (await selectToWrite<Row>(db, sql, values, others))[0];
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

/** Carries a write out by itself; answers the rows that it matched or added. */
export const carryOut = async (db: Db, { sql, values }: Statement): Promise<number> => await write(db, sql, values);

/**
 * Runs `work` in a transaction of its own, and again where somebody else was faster; it does nothing but through `db`. `inTransaction` is
 * what use cases take.
 */
export async function transact<T>(
  sequelize: Sequelize,
  work: (db: Db & { readonly transaction: Transaction }) => Promise<T>,
): Promise<T> {
  return await again(
    async () =>
      await sequelize.transaction(async (transaction) => {
        const made = await work({ sequelize, transaction });
        await commitOn(connectionOf(transaction));
        return made;
      }),
    isRetryable,
  );
}

/**
 * What stands before a COMMIT: nothing is taken for committed that the server holds no transaction open for. Where one was ended behind
 * our back, all that it had written was taken back.
 */
export const STILL_OPEN = `IF @@in_transaction = 0 THEN SIGNAL SQLSTATE '45000' SET MYSQL_ERRNO = ${TRANSACTION_GONE}; END IF; `;

/**
 * Commits, if a transaction is open. Sequelize sends a COMMIT of its own after that, which finds nothing to do: it would not look, and
 * gives the connection up when a member of a cluster refuses the transaction.
 */
async function commitOn(connection: Connection): Promise<void> {
  await execute(connection, `BEGIN NOT ATOMIC ${STILL_OPEN}COMMIT; END`, []);
}

/** A statement with the values of its placeholders. */
export interface Statement {
  readonly sql: string;
  readonly values: SqlValues;
  /** A write: it must match exactly one row, or the whole transaction is run again. */
  readonly matchesOne?: boolean;
  /** A SELECT: where it finds nothing, nothing of the transaction is kept, and it is not run again ({@link stoodNoMore}). */
  readonly stands?: true;
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

/** How long a statement waits for a lock. */
export const PATIENCE = 'SET innodb_lock_wait_timeout = 10';

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

const snakes = new Map<string, string>();
function snake(name: string): string {
  let known = snakes.get(name);
  if (known === undefined) snakes.set(name, (known = toSnake(name)));
  return known;
}
function toSnake(name: string): string {
  return name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`);
}

/** A prefix for LIKE with its wildcards made literal. */
export function likePrefix(text: string): string {
  return `${text.replace(/[\\%_]/g, (c) => `\\${c}`)}%`;
}
