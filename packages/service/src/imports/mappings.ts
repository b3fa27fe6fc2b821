import type { Id, ImportKind } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../db/cursor.js';
import { insert, select, selectOne, updateById, write, type Db } from '../db/sql.js';
import { keepingNamesApart } from '../db/unique-name.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { notFound, Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, newId, text } from '../ids.js';
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

interface MappingRow {
  id: Buffer;
  name: string;
  kind: ImportKind;
  columns: string;
  rules: string;
  updated_at: Date;
  version: number;
}

const mappingOf = (row: MappingRow): Mapping => ({
  id: text(row.id),
  name: row.name,
  kind: row.kind,
  columns: JSON.parse(row.columns) as Column[],
  rules: { ...DEFAULT_RULES, ...(JSON.parse(row.rules) as Partial<Rules>) },
  updatedAt: row.updated_at,
  version: row.version,
});

/** Throws not-found. */
export async function readMapping(db: Db, id: Id): Promise<Mapping> {
  const row = await selectOne<MappingRow>(db, 'SELECT * FROM import_mappings WHERE id = :id', { id: key(id) });
  if (!row) throw notFound();
  return mappingOf(row);
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
  const known = await selectOne<MappingRow>(work, 'SELECT * FROM import_mappings WHERE name = :name FOR UPDATE', {
    name,
  });
  const content = { columns: JSON.stringify(columns), rules: JSON.stringify(rules) };
  if (!known) {
    const id = newId(deps);
    await keepingNamesApart(
      'import_mappings_name',
      name,
      insert(work, 'import_mappings', {
        id: key(id),
        name,
        kind,
        ...content,
        createdAt: work.now,
        updatedAt: work.now,
      }),
    );
    return { id, changed: true };
  }
  if (known.kind !== kind) throw new Refusal('name-taken', { name });
  if (known.columns === content.columns && known.rules === content.rules) return { id: text(known.id), changed: false };
  await updateById(work, 'import_mappings', known.id, { ...content, updatedAt: work.now }, known.version);
  return { id: text(known.id), changed: true };
}

export const listMappings: Handler<'importMappings.list'> = async (deps, { query }) => {
  const after = decodeCursor(query.cursor, ['string']);
  const rows = await select<MappingRow & { people: number }>(
    deps,
    `SELECT m.*, (SELECT COUNT(*) FROM person_references r WHERE r.mapping_id = m.id AND r.left_at IS NULL) AS people
     FROM import_mappings m ${after ? 'WHERE m.name > :after' : ''} ORDER BY m.name LIMIT :limit`,
    { after: after?.[0] ?? '', limit: query.limit + 1 },
  );
  const page = pageOf(rows, query.limit, (row) => [row.name]);
  return {
    answer: {
      rows: page.rows.map((row) => ({
        ...mappingOf(row),
        columns: mappingOf(row).columns.map(({ name, meaning }) => ({ name, meaning })),
        people: Number(row.people),
        updatedAt: row.updated_at.toISOString(),
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
      { id: key(id) },
    );
    if (busy) throw new Refusal('wrong-state', { state: busy.state });
    await write(work, 'DELETE FROM import_mappings WHERE id = :id', { id: key(id) });
    await work.trail(entryOf(call, 'import-mapping.deleted', { kind: 'import-mapping', id }, { details: { name } }));
    return { answer: null };
  });
