import type { Id, ImportKind } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { isDeepStrictEqual } from 'node:util';
import { Op } from 'sequelize';
import { countBy, NEXT_VERSION, within } from '../../platform/db/models.js';
import { selectOne, type Db } from '../../platform/db/sql.js';
import { keepingNamesApart } from '../../platform/db/unique-name.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, newId } from '../../platform/ids.js';
import { importMappings, type ImportMapping } from './import-mapping.model.js';
import { personReferences } from './person-reference.model.js';
import { DEFAULT_RULES, type Column, type Rules } from './store.js';

/** What the columns of somebody's files mean, kept under a name. The people its files bring are remembered as its own. */
export interface Mapping {
  readonly id: Id;
  readonly name: string;
  readonly kind: ImportKind;
  readonly columns: readonly Column[];
  readonly rules: Rules;
  readonly updatedAt: Date;
  readonly version: number;
}

const mappingOf = ({ id, name, kind, columns, rules, updatedAt, version }: ImportMapping): Mapping => ({
  id,
  name,
  kind,
  columns,
  rules: { ...DEFAULT_RULES, ...rules },
  updatedAt,
  version,
});

/** Throws not-found. */
export async function readMapping(db: Db, id: Id): Promise<Mapping> {
  return mappingOf(await importMappings(db).findByPk(id, { rejectOnEmpty: notFound(), ...within(db) }));
}

/**
 * Keeps columns and rules under a name, as they are now. A name that is there already is the same mapping, changed;
 * one of another kind of file is refused as taken.
 *
 * @returns its id, and whether anything about it is new
 */
export async function saveMapping(
  deps: Deps,
  work: Work,
  name: string,
  kind: ImportKind,
  columns: readonly Column[],
  rules: Rules,
): Promise<{ readonly id: Id; readonly changed: boolean }> {
  const { transaction } = work;
  const known = await importMappings(work).findOne({ where: { name }, lock: transaction.LOCK.UPDATE, transaction });
  if (!known) {
    const id = newId(deps);
    await keepingNamesApart(
      'import_mappings_name',
      name,
      importMappings(work).create(
        { id, name, kind, columns, rules, createdAt: work.now, updatedAt: work.now },
        { transaction },
      ),
    );
    return { id, changed: true };
  }
  if (known.kind !== kind) throw new Refusal('name-taken', { name });
  const { id } = known;
  // As they would come back: a field that says nothing is none.
  if (isDeepStrictEqual([known.columns, known.rules], JSON.parse(JSON.stringify([columns, rules]))))
    return { id, changed: false };
  await importMappings(work).update(
    { columns, rules, updatedAt: work.now, version: NEXT_VERSION },
    { where: { id }, transaction },
  );
  return { id, changed: true };
}

export const listMappings: Handler<'importMappings.list'> = async (deps, { query }) => {
  const after = decodeCursor(query.cursor, ['string']);
  const rows = await importMappings(deps).findAll({
    where: after ? { name: { [Op.gt]: after[0] } } : {},
    order: ['name'],
    limit: query.limit + 1,
    ...within(deps),
  });
  const page = pageOf(rows, query.limit, (row) => [row.name]);
  const people = await countBy(
    personReferences(deps),
    'mappingId',
    { mappingId: page.rows.map(({ id }) => id), leftAt: null },
    null,
  );
  return {
    answer: {
      rows: page.rows.map((row) => ({
        ...mappingOf(row),
        columns: mappingOf(row).columns.map(({ name, meaning }) => ({ name, meaning })),
        people: people.get(row.id) ?? 0,
        updatedAt: row.updatedAt.toISOString(),
      })),
      next: page.next,
    },
  };
};

export const deleteMapping: Handler<'importMappings.delete'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { name } = await readMapping(work, id);
    const busy = await selectOne<{ state: string }>(
      work,
      "SELECT state FROM imports WHERE mapping_id = :id AND state IN ('checking', 'applying', 'stopped') LIMIT 1",
      { id: idBytes(id) },
    );
    if (busy) throw new Refusal('wrong-state', { state: busy.state });
    await importMappings(work).destroy({ where: { id }, transaction: work.transaction });
    await work.trail(entryOf(call, 'import-mapping.deleted', { kind: 'import-mapping', id }, { details: { name } }));
    return { answer: null };
  });
