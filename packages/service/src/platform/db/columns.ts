import { DataTypes, type ModelAttributeColumnOptions } from 'sequelize';
import type { Id, KeyPurpose } from '@nimble-latch/core/vocabulary';
import { idBytes, idText } from '../ids.js';

/**
 * The kinds of column that tables are made of: what each is in the database, what it is in the code, and how one becomes the
 * other. Every model is described in these, so that an id, a moment or a list has one form wherever it is read or asked for.
 */

/** What the driver is given. */
type Sent = string | number | Buffer;

/** A column that holds `T`; its type is what ties a model's columns to its attributes. */
export interface Column<T> extends ModelAttributeColumnOptions {
  readonly holds?: T;
}

/** How a kind of column is kept. */
export interface Kept<T> {
  /** As `information_schema.columns` has it: the test of the models goes by it. */
  readonly sql: string;
  readonly collation?: string;
  /** As the driver is given it. Left out where the two are the same. */
  send?(this: void, value: T): Sent;
  /** From what the driver read, or from itself: records that are joined are read twice. Left out where the two are the same. */
  read?(value: unknown): T;
  readonly sealed?: Sealing;
  /** It is the id of a key of this purpose. */
  readonly keyOf?: KeyPurpose;
}

/** How a column is sealed. */
export interface Sealing {
  readonly purpose: KeyPurpose;
  /** What its content is bound to, by the `id` of its row; left out where it lives too shortly to be sealed anew. */
  readonly identity?: (id: Id) => string;
  /** The blind index beside it. */
  readonly index?: { readonly column: string; readonly field: string };
}

// The class itself: what is exported under its name makes instances of nothing but itself.
const Abstract = (DataTypes.ABSTRACT as unknown as { prototype: { constructor: new () => object } }).prototype
  .constructor;

interface Binding {
  readonly bindParam: (value: Sent) => string;
}

/** Sequelize's way of being told about a type of one's own (Sequelize 6, "Extending data types"). */
export class ColumnType extends Abstract {
  readonly key = 'KEPT';
  /** What `_stringify` gives is SQL already. */
  readonly escape = false;
  readonly kept: Kept<never>;

  constructor(kept: Kept<never>) {
    super();
    this.kept = kept;
  }

  toSql(): string {
    return this.kept.sql;
  }

  /** What the driver is given, of what the code has. */
  send(value: unknown): Sent {
    const kept = this.kept as Kept<unknown>;
    return kept.send ? kept.send(value) : (value as Sent);
  }

  /** What the code has, of what the driver read. */
  read(value: unknown): unknown {
    const kept = this.kept as Kept<unknown>;
    return value === null || value === undefined || !kept.read ? value : kept.read(value);
  }

  _stringify(value: unknown, { escape }: { escape: (text: string) => string }): string {
    const sent = this.send(value);
    if (typeof sent === 'string') return escape(sent);
    return typeof sent === 'number' ? String(sent) : `X'${sent.toString('hex')}'`;
  }

  _bindParam(value: unknown, { bindParam }: Binding): string {
    return bindParam(this.send(value));
  }
}

/** What may be said of any column. */
export interface Said<T> {
  /** Part of the primary key. */
  readonly key?: true;
  /** Its name in the table, where records have another (one that Sequelize's own would hide). */
  readonly named?: string;
  /** What a row has that was not told. */
  readonly first?: T;
  /** The table whose row it names, by `id` unless said; what becomes of this one when that one goes. */
  readonly of?: Reference;
}

interface Reference {
  readonly table: string;
  readonly column?: string;
  readonly gone: 'CASCADE' | 'SET NULL';
}

function column<T>(kept: Kept<T>, { key: primaryKey, named, first, of }: Said<T>, allowNull: boolean): Column<T> {
  return {
    type: new ColumnType(kept as unknown as Kept<never>) as never,
    allowNull,
    ...(primaryKey ? { primaryKey } : {}),
    ...(named === undefined ? {} : { field: named }),
    ...(first === undefined ? {} : { defaultValue: first }),
    ...(of ? { references: { model: of.table, key: of.column ?? 'id' }, onDelete: of.gone, onUpdate: 'RESTRICT' } : {}),
  };
}

/** A kind of column, each with its twin that may be empty. */
interface Kind<T> {
  (said?: Said<T>): Column<T>;
  orNone(said?: Said<T>): Column<T | null>;
}

function kind<T>(kept: Kept<T>): Kind<T> {
  const made = (said: Said<T> = {}) => column(kept, said, false);
  return Object.assign(made, { orNone: (said: Said<T> = {}) => column<T>(kept, said, true) as Column<T | null> });
}

const ID: Kept<Id> = {
  sql: 'binary(16)',
  send: idBytes,
  read: (value) => (typeof value === 'string' ? (value as Id) : idText(value as Buffer)),
};

/** An id: 16 bytes there, its text here. */
export const id = kind<Id>(ID);

/** The id of the key that a hash beside it was made with. */
export const keyId = (purpose: KeyPurpose): Kind<Id> => kind<Id>({ ...ID, keyOf: purpose });

/** Bytes of a fixed length: hashes, blind indexes, made-up ids. */
export const fixedBytes = (length: number): Kind<Buffer> => kind<Buffer>({ sql: `binary(${length})` });

/** Bytes up to a length. */
export const bytes = (most: number | 'blob' | 'mediumblob'): Kind<Buffer> =>
  kind<Buffer>({ sql: typeof most === 'number' ? `varbinary(${most})` : most });

/** What `KeySet.seal` wrote, under its purpose and bound to its record. */
export const sealed = (most: number | 'blob' | 'mediumblob', sealing: Sealing): Kind<Buffer> =>
  kind<Buffer>({
    sql: typeof most === 'number' ? `varbinary(${most})` : most,
    sealed: sealing,
  });

/** The moment that was sent last: all rows of a transaction have the same. */
let lastTime = { of: NaN, text: '' };

/** A moment as it is sent: as text in UTC, since the driver would use the process's zone and cut whole seconds short. */
export function timeText(value: Date): string {
  const of = value.getTime();
  if (of !== lastTime.of) lastTime = { of, text: value.toISOString().replace('T', ' ').slice(0, -1) };
  return lastTime.text;
}

/** A moment, in UTC, to the millisecond. */
export const instant = kind<Date>({ sql: 'datetime(3)', send: timeText });

/** A day as `2026-11-29`, without a zone. */
export const day = kind<string>({
  sql: 'date',
  // The driver reads a day as its first moment in the process's zone, which is UTC.
  read: (value) => (value instanceof Date ? value.toISOString().slice(0, 10) : (value as string)),
});

export const flag = kind<boolean>({
  sql: 'tinyint(4)',
  send: (value) => (value ? 1 : 0),
  read: (value) => value === true || value === 1,
});

export const integer = kind<number>({ sql: 'int(11)' });
/** The number of the only row of a table. */
export const onlyRow = kind<number>({ sql: 'tinyint(4)' });
export const float = kind<number>({ sql: 'float' });

/** A whole number up to 2^53; the driver gives those beyond 2^53 another type, and none of ours is. */
export const bigInteger = kind<number>({ sql: 'bigint(20)', read: Number });
export const unsignedBigInteger = kind<number>({ sql: 'bigint(20) unsigned', read: Number });
/** Counted up in a row that is held and not changed, so that a cluster's members see it: claims.ts. */
export const claim = unsignedBigInteger({ first: 0 });

const UNICODE = 'utf8mb4_unicode_ci';

/** Text that people read, compared without regard to case. */
export const line = (most: number): Kind<string> => kind<string>({ sql: `varchar(${most})`, collation: UNICODE });

/** Text compared letter by letter. */
export const exactLine = (most: number): Kind<string> =>
  kind<string>({ sql: `varchar(${most})`, collation: 'utf8mb4_bin' });

/** ASCII of a protocol. */
export const ascii = (
  sql: `${'varchar' | 'char'}(${number})`,
  collation: 'ascii_bin' | 'ascii_general_ci',
): Kind<string> => kind<string>({ sql, collation });

/** Letters of a fixed number. */
export const letters = (length: number): Kind<string> => kind<string>({ sql: `char(${length})`, collation: UNICODE });

/** A word of a closed set. */
export const word = <T extends string = string>(most = 40, collation = 'ascii_bin'): Kind<T> =>
  kind<T>({ sql: `varchar(${most})`, collation });

/** Words of a closed set, kept in one column with spaces between. */
export const words = <T extends string>(most: number, collation = UNICODE): Kind<readonly T[]> =>
  kind<readonly T[]>({
    sql: `varchar(${most})`,
    collation,
    send: (value) => value.join(' '),
    read: (value) => (typeof value === 'string' ? (value.split(' ').filter(Boolean) as T[]) : (value as T[])),
  });

/** Text of any length. */
export const longText = (size: 'text' | 'mediumtext'): Kind<string> => kind<string>({ sql: size, collation: UNICODE });

/** An object or a list, kept as JSON. */
export const json = <T extends object>(size: 'text' | 'mediumtext' | `varchar(${number})`): Kind<T> =>
  kind<T>({
    sql: size,
    collation: UNICODE,
    send: (value) => JSON.stringify(value),
    read: (value) => (typeof value === 'string' ? (JSON.parse(value) as T) : (value as T)),
  });
