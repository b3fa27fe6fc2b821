import {
  literal,
  type Attributes,
  type InferAttributes,
  type Model,
  type ModelAttributes,
  type ModelStatic,
  type Sequelize,
  type Transaction,
} from 'sequelize';
import type { Column, ColumnType } from './columns.js';

/** One column for each attribute of a record, of its type. */
type Columns<M extends Model> = { readonly [Name in keyof InferAttributes<M>]: Column<InferAttributes<M>[Name]> };

/** An index beside the primary key. */
interface Index {
  readonly name: string;
  readonly fields: readonly string[];
  readonly unique?: true;
}

/** What else there is to a table. */
interface More {
  readonly indexes?: readonly Index[];
  /** Ties it to others, once for each pool; the other model is asked for with the same `on`. */
  readonly joins?: (self: ModelStatic<Model>, on: Pool) => void;
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
}

/**
 * Describes a table, once. A process may hold several pools (two of its own, and more in tests), and Sequelize ties a model
 * to one: so each pool that asks gets a class of its own, made at the first time.
 */
export function tableOf<M extends Model>(
  record: new () => M,
  table: string,
  columns: Columns<M>,
  { indexes = [], joins }: More = {},
): Table<M> {
  const bound = new WeakMap<Sequelize, ModelStatic<M>>();
  const bind = (sequelize: Sequelize): ModelStatic<M> => {
    const Base = record as unknown as new () => Model;
    const model = class extends Base {} as unknown as ModelStatic<M>;
    // It writes into what it is given.
    const own = Object.fromEntries(Object.entries<Column<unknown>>(columns).map(([name, one]) => [name, { ...one }]));
    model.init(own as unknown as ModelAttributes<M, Attributes<M>>, {
      sequelize,
      modelName: table,
      tableName: table,
      indexes: indexes.map(({ name, fields, unique = false }) => ({ name, fields: [...fields], unique })),
    });
    bound.set(sequelize, model);
    joins?.(model as unknown as ModelStatic<Model>, { sequelize });
    return model;
  };
  return Object.assign(({ sequelize }: Pool) => bound.get(sequelize) ?? bind(sequelize), {
    table,
    columns: new Map(
      Object.entries<Column<unknown>>(columns).map(([name, { field, type }]) => [
        field ?? underscored(name),
        type as unknown as ColumnType,
      ]),
    ),
  });
}

const underscored = (name: string): string => name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`);

/** A version that goes on by one: `update({ …, version: NEXT_VERSION }, { where: { id, version: seen } })`. */
export const NEXT_VERSION = literal('version + 1');

/**
 * The transaction of a use case, or none where a read stands by itself. A model's call that says neither is refused
 * ({@link sayWhere}): forgotten, it would be no part of the use case that it stands in.
 */
export const within = ({
  transaction,
}: {
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
