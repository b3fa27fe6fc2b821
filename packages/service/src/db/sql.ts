import { QueryTypes, type Sequelize, type Transaction } from 'sequelize';

/** What a statement's placeholders are filled with. */
export type SqlValue = string | number | boolean | Buffer | Date | null | readonly (string | number | Buffer)[];
export type SqlValues = Readonly<Record<string, SqlValue>>;

/** Where statements run: inside a transaction, or each on its own. */
export interface Db {
  readonly sequelize: Sequelize;
  readonly transaction?: Transaction;
}

function options(db: Db, values: SqlValues) {
  return {
    replacements: values as Record<string, unknown>,
    ...(db.transaction ? { transaction: db.transaction } : {}),
  };
}

/** Rows of a SELECT; `:name` placeholders. */
export async function select<Row extends object>(db: Db, sql: string, values: SqlValues = {}): Promise<Row[]> {
  return await db.sequelize.query<Row>(sql, { type: QueryTypes.SELECT, ...options(db, values) });
}

/** The first row, or undefined. */
export async function selectOne<Row extends object>(
  db: Db,
  sql: string,
  values: SqlValues = {},
): Promise<Row | undefined> {
  return (await select<Row>(db, sql, values))[0];
}

/** Rows that an UPDATE, DELETE or INSERT changed. */
export async function write(db: Db, sql: string, values: SqlValues = {}): Promise<number> {
  const [, changed] = await db.sequelize.query(sql, { type: QueryTypes.UPDATE, ...options(db, values) });
  return Number(changed);
}

/** Inserts one row; columns are the names of the values, turned into snake case. */
export async function insert(db: Db, table: string, values: SqlValues): Promise<void> {
  const names = Object.keys(values);
  const columns = names.map((name) => `\`${snake(name)}\``).join(', ');
  await write(
    db,
    `INSERT INTO \`${table}\` (${columns}) VALUES (${names.map((name) => `:${name}`).join(', ')})`,
    values,
  );
}

/** Sets columns of the row with this id; answers whether it was there (and, with a version, still at it). */
export async function updateById(
  db: Db,
  table: string,
  id: Buffer,
  values: SqlValues,
  whileVersion?: number,
): Promise<boolean> {
  const names = Object.keys(values);
  const sets = names.map((name) => `\`${snake(name)}\` = :${name}`);
  if (whileVersion !== undefined) sets.push('version = version + 1');
  const where = whileVersion === undefined ? 'id = :rowId' : 'id = :rowId AND version = :rowVersion';
  const changed = await write(db, `UPDATE \`${table}\` SET ${sets.join(', ')} WHERE ${where}`, {
    ...values,
    rowId: id,
    ...(whileVersion === undefined ? {} : { rowVersion: whileVersion }),
  });
  return changed > 0;
}

function snake(name: string): string {
  return name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`);
}

/** A prefix for LIKE with its wildcards made literal. */
export function likePrefix(text: string): string {
  return `${text.replace(/[\\%_]/g, (c) => `\\${c}`)}%`;
}
