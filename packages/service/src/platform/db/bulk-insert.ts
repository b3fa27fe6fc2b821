import type { Connection } from 'mariadb';
import { isOnCluster } from './claims.js';
import { execute } from './prepared.js';
import { byItself, compile, connectionOf, insertion, mustBeOpen, sent, type Db, type SqlValues } from './sql.js';

/** Rows of one bulk command, and of one INSERT. */
const ROWS_IN_BULK = 1_000;
const ROWS_TOGETHER = 250;

/**
 * Inserts rows that all name the same columns. In a transaction they belong to it; by itself each {@link ROWS_TOGETHER} of them at least
 * are kept together or not at all.
 *
 * The protocol's bulk command takes half of the server's work of an INSERT with many rows (20,000 tokens: 0.7–1.2 against 1.8–2.1 s of
 * processor time), but the driver prepares it then and there, and an abort by another member of a cluster would be lost in that
 * ({@link execute}): on a cluster rows travel in INSERTs. On one server a transaction is ended by a statement that reached its tables alone.
 */
export async function insertAll(db: Db, table: string, rows: readonly SqlValues[]): Promise<void> {
  const { text, names } = compile(insertion(table, rows[0]!).sql);
  const { transaction } = db;
  // One after the other: what was sent behind a command with which the transaction ended would be kept.
  const send = async (command: (connection: Connection) => Promise<unknown>) => {
    if (!transaction) return await byItself(db.sequelize, command);
    const connection = connectionOf(transaction);
    mustBeOpen(connection);
    await command(connection);
    mustBeOpen(connection);
  };
  for (const many of chunksOf(rows, ROWS_IN_BULK)) {
    const values = many.map((row) => valuesOf(row, names));
    const bulk = values.length > 1 && !isOnCluster(db) ? asOneCommand(values) : undefined;
    if (bulk) await send(async (connection) => await connection.batch(text, bulk));
    else
      for (const some of chunksOf(values, ROWS_TOGETHER))
        await send(async (connection) => await insertSome(connection, text, some));
  }
}

function* chunksOf<T>(list: readonly T[], size: number): Generator<readonly T[]> {
  for (let from = 0; from < list.length; from += size) yield list.slice(from, from + size);
}

/** Inserts rows by one INSERT: kept prepared if they are as many as will come again. */
async function insertSome(connection: Connection, text: string, rows: readonly (readonly unknown[])[]): Promise<void> {
  const values = rows.flat();
  if (rows.length === 1 || rows.length === ROWS_TOGETHER)
    await execute(connection, manyRows(text, rows.length), values);
  else await connection.query(manyRows(text, rows.length), values);
}

/** The INSERT of one row, for so many. */
const manyRows = (text: string, count: number): string =>
  `${text}${`, ${text.slice(text.lastIndexOf('('))}`.repeat(count - 1)}`;

/** Far below what the driver puts into one packet. */
const MOST_BYTES = 4 << 20;

/**
 * The rows so that the driver sends them as one command: it begins another, without waiting for the answer to the first, where a value is
 * of another type than in the first row, or where a packet is full. What that carries would be kept even where the first was refused.
 *
 * @returns nothing where that can't be had
 */
export function asOneCommand(rows: readonly unknown[][]): unknown[][] | undefined {
  const mixed: number[] = [];
  let bytes = 0;
  for (let column = 0; column < rows[0]!.length; column++) {
    // A NULL in the first row stands for text.
    let kind = typeOf(rows[0]![column] ?? '');
    for (const row of rows) {
      const value = row[column];
      bytes += sizeOf(value);
      if (value === null) continue;
      const its = typeOf(value);
      if (its === kind) continue;
      if (its === 'bytes' || kind === 'bytes') return undefined;
      kind = 'mixed';
    }
    if (kind === 'mixed') mixed.push(column);
  }
  if (bytes > MOST_BYTES) return undefined;
  if (mixed.length === 0) return [...rows];
  return rows.map((row) =>
    row.map((value, column) => (value !== null && mixed.includes(column) ? asText(value as Sayable) : value)),
  );
}

/** What may stand as text where a column has numbers. */
type Sayable = string | number | bigint | boolean;

const asText = (value: Sayable): string => (typeof value === 'boolean' ? String(Number(value)) : String(value));

function typeOf(value: unknown): string {
  if (typeof value === 'string') return 'text';
  if (Buffer.isBuffer(value)) return 'bytes';
  // The largest whole number of 32 bits is sent as a fraction, too.
  return typeof value === 'number' && (!Number.isInteger(value) || value >= 0x7fff_ffff) ? 'fraction' : typeof value;
}

function sizeOf(value: unknown): number {
  // A character takes four bytes at most.
  if (typeof value === 'string') return 4 * value.length;
  return Buffer.isBuffer(value) ? value.length : 8;
}

/** A row's values, as the driver sends them. */
function valuesOf(row: SqlValues, names: readonly string[]): unknown[] {
  return names.map((name) => {
    const value = row[name];
    if (value === undefined) throw new TypeError(`No value for :${name}`);
    return sent(value);
  });
}
