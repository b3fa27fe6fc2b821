import type { Model } from 'sequelize';
import {
  literal,
  type Attributes,
  type BuildOptions,
  type InferAttributes,
  type ModelAttributes,
  type ModelStatic,
  type Sequelize,
  type Transaction,
  type UpdateOptions,
  type WhereOptions,
} from 'sequelize';
import type { Column, ColumnType, Kept } from './columns.js';
import type { SqlValue, SqlValues } from './sql.js';

/** One column for each attribute of a record, of its type. */
type Columns<M extends Model> = { readonly [Name in keyof InferAttributes<M>]: Column<InferAttributes<M>[Name]> };

/** An index beside the primary key. */
interface Index {
  readonly name: string;
  readonly fields: readonly string[];
  readonly unique?: true;
}

/** What else there is to a table. */
interface More<M extends Model> {
  readonly indexes?: readonly Index[];
  /** Ties it to others, once for each pool; the others are asked for with the same `on`. */
  readonly joins?: (self: ModelStatic<M>, on: Pool) => void;
}

/** Where models find their pool; {@link Db} and all that is made of it. */
export interface Pool {
  readonly sequelize: Sequelize;
}

/** A table's model, bound to the pool that it is asked for with. */
export interface Table<M extends Model> {
  (on: Pool): ModelStatic<M>;
  readonly table: string;
  /** How each column is kept, by its name in the table. */
  readonly columns: ReadonlyMap<string, ColumnType>;
  /** A record, or some of its values, as statements take them: for bulk loads and what the hot path writes. */
  sent(values: { readonly [Name in keyof Attributes<M>]?: Attributes<M>[Name] | undefined }): SqlValues;
}

/**
 * Describes a table, once. A process may hold several pools (two of its own, and more in tests), and Sequelize ties a model
 * to one: so each pool that asks gets a class of its own, made at the first time.
 */
export function tableOf<M extends Model>(
  record: new () => M,
  table: string,
  columns: Columns<M>,
  { indexes = [], joins }: More<M> = {},
): Table<M> {
  const bound = new WeakMap<Sequelize, ModelStatic<M>>();
  const types = new Map(
    Object.entries<Column<unknown>>(columns).map(([name, { type }]) => [name, type as unknown as ColumnType]),
  );
  const unknown = (name: string) => new TypeError(`“${name}” is no column of ${table}`);
  /** Sequelize passes over what is no column of a table: then somebody's change would be lost without a word. */
  const known = (values: object): object => {
    for (const name of Object.keys(values)) if (!types.has(name)) throw unknown(name);
    return values;
  };
  const bind = (sequelize: Sequelize): ModelStatic<M> => {
    const model = class extends (record as unknown as typeof Model) {} as unknown as ModelStatic<M>;
    const { build, update } = model;
    Object.assign(model, {
      // The one way in for every row: those that were read, by themselves or joined to another, and those that are to be written.
      build(values: object, options: BuildOptions = {}) {
        const found = options.raw === true && options.isNewRecord === false;
        return build.call(model, (found ? readRow(values, types) : known(values)) as never, options);
      },
      update: async (values: object, options: UpdateOptions) =>
        await update.call(model, known(values) as never, options as never),
    });
    // By itself a record would be written under no condition but its key, which Sequelize sends without the column's type: it matches
    // no row, and says nothing of it. Records are changed by their table.
    for (const way of ['update', 'destroy', 'reload', 'increment', 'decrement', 'restore'] as const)
      Object.assign(model.prototype as object, {
        [way]: () => Promise.reject(new TypeError(`a record of ${table} was to ${way} itself: that is its table's`)),
      });
    // It writes into what it is given.
    const own = Object.fromEntries(Object.entries<Column<unknown>>(columns).map(([name, one]) => [name, { ...one }]));
    model.init(own as unknown as ModelAttributes<M, Attributes<M>>, {
      sequelize,
      modelName: table,
      tableName: table,
      indexes: indexes.map(({ name, fields, unique = false }) => ({ name, fields: [...fields], unique })),
    });
    model.addHook('beforeUpdate', () => {
      throw new TypeError(`a record of ${table} was to save itself: that is its table's`);
    });
    bound.set(sequelize, model);
    joins?.(model, { sequelize });
    return model;
  };
  /** A type that sends what it holds is not asked: bulk loads come by here with every row. */
  const senders = new Map([...types].map(([name, { kept }]) => [name, (kept as Kept<unknown>).send ?? null]));
  const sent = (values: object): SqlValues => {
    const row: Record<string, SqlValue> = {};
    for (const name in values) {
      const send = senders.get(name);
      if (send === undefined) throw unknown(name);
      const value = (values as Readonly<Record<string, unknown>>)[name];
      row[name] = value == null ? null : send === null ? (value as SqlValue) : send(value);
    }
    return row;
  };
  return Object.assign(({ sequelize }: Pool) => bound.get(sequelize) ?? bind(sequelize), {
    table,
    sent,
    columns: new Map(
      Object.entries<Column<unknown>>(columns).map(([name, { field }]) => [
        field ?? underscored(name),
        types.get(name)!,
      ]),
    ),
  });
}

/** A row as the driver read it, with each value in the form that the code has it in. */
const readRow = (row: object, types: ReadonlyMap<string, ColumnType>): object =>
  Object.fromEntries(Object.entries(row).map(([name, value]) => [name, types.get(name)?.read(value) ?? value]));

const underscored = (name: string): string => name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`);

/** A version that goes on by one: `update({ …, version: NEXT_VERSION }, { where: { id, version: seen } })`. */
export const NEXT_VERSION = literal('version + 1');

/**
 * The transaction of a use case, or none where a read stands by itself. A model's call that says neither is refused
 * ({@link sayWhere}): forgotten, it would be no part of the use case that it stands in.
 */
export const within = ({
  transaction,
}: Pool & {
  readonly transaction?: Transaction | undefined;
}): {
  transaction: Transaction | null;
} => ({ transaction: transaction ?? null });

const ASKED = [
  'beforeFind',
  'beforeCount',
  'beforeCreate',
  'beforeBulkCreate',
  'beforeUpdate',
  'beforeBulkUpdate',
  'beforeDestroy',
  'beforeBulkDestroy',
  'beforeUpsert',
] as const;

/** Refuses calls of models that do not say in which transaction they are. */
export function sayWhere(sequelize: Sequelize): void {
  for (const hook of ASKED)
    sequelize.addHook(hook as 'beforeFind', (...given: unknown[]) => {
      const options = given.at(-1) as { transaction?: Transaction | null } | undefined;
      if (options?.transaction === undefined)
        throw new TypeError('a model was called without saying in which transaction');
    });
}

/** The values that are there: what a request left out stays as it is. */
export const given = <T extends object>(values: T): { [Name in keyof T]?: Exclude<T[Name], undefined> } =>
  Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined)) as never;

/**
 * How many rows there are by the value of one column; values of which there are none are left out. Sequelize's own counting by
 * groups answers what the driver read, where a model has an id.
 */
export async function countBy<M extends Model, Name extends keyof Attributes<M> & string>(
  model: ModelStatic<M>,
  name: Name,
  where: WhereOptions<Attributes<M>>,
  transaction: Transaction | null,
): Promise<ReadonlyMap<Attributes<M>[Name], number>> {
  const rows = await model.count({ where, group: [name], transaction: transaction! });
  const type = model.getAttributes()[name].type as unknown as ColumnType;
  return new Map(rows.map((row) => [type.read(row[name]) as Attributes<M>[Name], Number(row.count)]));
}
