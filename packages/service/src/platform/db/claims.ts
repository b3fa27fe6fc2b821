import { literal, type FindOptions, type Model, type ModelStatic, type Sequelize } from 'sequelize';
import { carryOut, selectToWrite, type Db, type SqlValues } from './sql.js';

/**
 * Rows that a use case goes by and does not change: whoever changes one of them meanwhile has to wait, or to give way. On one server the
 * lock of `SELECT … FOR UPDATE` sees to it. Members of a cluster know nothing of each other's locks, and compare writes alone: there
 * such a row is written too, by counting its `claim` up. One server is spared that.
 */
const clusteredBy = new WeakMap<Sequelize, () => boolean>();

/** Whether other members may end a transaction of this one. */
export const isOnCluster = (db: Db): boolean => clusteredBy.get(db.sequelize)?.() ?? true;

/** Every read by a model that locks claims what it locks. */
export function claimWhatIsLocked(sequelize: Sequelize, clustered: () => boolean): void {
  clusteredBy.set(sequelize, clustered);
  sequelize.addHook('beforeFind', async function (this: unknown, options: FindOptions) {
    const { lock, transaction, where } = options;
    if (!lock || !transaction) return;
    const model = this as ModelStatic<Model & { claim: number }>;
    if (!('claim' in model.getAttributes()))
      throw new TypeError(`a row of ${model.name} was to be held, and has no claim`);
    if (clustered()) await model.update({ claim: literal('claim + 1') as never }, { where: where!, transaction });
  });
}

/**
 * Reads rows and holds others, or the same, until the transaction ends. What the use case changes anyway needs no holding:
 * {@link selectToWrite}.
 *
 * @param held which rows: a table and a condition, as in `persons WHERE id = :id`; several are held in the order that is said
 * @param sql the read; FOR UPDATE is added
 */
export async function selectToHold<Row extends object>(
  db: Db,
  held: string,
  sql: string,
  values: SqlValues = {},
): Promise<Row[]> {
  if (isOnCluster(db)) {
    const at = held.indexOf(' ');
    await carryOut(db, { sql: `UPDATE ${held.slice(0, at)} SET claim = claim + 1${held.slice(at)}`, values });
  }
  return await selectToWrite<Row>(db, sql, values);
}

/** The first of {@link selectToHold}, or undefined. */
export async function selectOneToHold<Row extends object>(
  db: Db,
  held: string,
  sql: string,
  values: SqlValues = {},
): Promise<Row | undefined> {
  return (await selectToHold<Row>(db, held, sql, values))[0];
}
