import type { Answer } from '@nimble-latch/api';
import { readCell } from '@nimble-latch/core/tables';
import { looksSecret } from '@nimble-latch/core/tokenfiles';
import { selectOne, type Db } from '../../platform/db/sql.js';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import type { Deps } from '../../platform/deps.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { readBlockAfter } from './blocks.js';
import { DELIMITER_OF, readImport, readImports, type Import } from './store.js';

const SAMPLES = 3;
/** Least number of people that may be deactivated for being missing, or of whom something may be cleared, without anybody saying so. */
const MISSING_LEAST = 5;

function summary(one: Import): Answer<'imports.list'>['rows'][number] {
  const { id, kind, state, fileName, bytes, rows, mapping, counts, progress, problem, outcome, startedBy, version } =
    one;
  return {
    id,
    kind,
    state,
    fileName,
    bytes,
    rows,
    mapping,
    counts,
    progress,
    problem,
    outcome,
    startedBy,
    createdAt: one.createdAt.toISOString(),
    finishedAt: one.finishedAt?.toISOString() ?? null,
    keptUntil: one.keptUntil.toISOString(),
    version,
  };
}

/** How many may be deactivated for being missing unless a call says more: a tenth of those that the mapping brought. */
export async function missingMost(db: Db, one: Import): Promise<number> {
  if (!one.mapping) return 0;
  const row = await selectOne<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM person_references WHERE mapping_id = :id AND left_at IS NULL',
    { id: idBytes(one.mapping.id) },
  );
  return Math.max(MISSING_LEAST, Math.floor(Number(row?.n ?? 0) / 10));
}

/** Of how many people something may be cleared unless a call says more: a tenth of the rows. An empty column is soon sent. */
export const clearedMost = ({ rows }: Import): number => Math.max(MISSING_LEAST, Math.floor(rows / 10));

/** The whole of an import as it is shown; while columns can still be chosen, with a few cells of each. */
export async function showImport(deps: Deps, one: Import): Promise<Answer<'imports.show'>> {
  const resting = one.state === 'staged' || one.state === 'checked';
  const block = resting ? await readBlockAfter(deps, deps, one.id, 0) : undefined;
  const samples = (column: number) =>
    (block?.rows ?? [])
      .map((row) => readCell(row.cells[column] ?? '').replace(/\s+/g, ' '))
      // Seeds are never readable after they have been received.
      .map((cell) => (one.kind === 'tokens' && looksSecret(cell) ? '••••' : cell))
      .filter((cell) => cell !== '')
      .slice(0, SAMPLES)
      .map((cell) => [...cell].slice(0, 60).join(''));
  const delimiter = Object.entries(DELIMITER_OF).find(([, character]) => character === one.delimiter)!;
  return {
    ...summary(one),
    encoding: one.encoding,
    delimiter: delimiter[0] as keyof typeof DELIMITER_OF,
    headed: one.headed,
    columns: one.columns.map(({ name, meaning }, i) => ({ name, meaning, samples: samples(i) })),
    rules: one.rules,
    newGroups: [...one.newGroups],
    unused: one.columns.filter(({ meaning }) => meaning === 'nothing').map(({ name }) => name),
    comments: one.comments,
    makeup: [...one.findings.makeup],
    cleared: one.findings.cleared,
    clearedMost: clearedMost(one),
    dryRun: one.dryRun,
    missingMost: resting || one.state === 'stopped' ? await missingMost(deps, one) : 0,
  };
}

export const show: Handler<'imports.show'> = async (deps, { params }) => {
  const one = await readImport(deps, params.id);
  return { answer: await showImport(deps, one), version: one.version };
};

export const list: Handler<'imports.list'> = async (deps, { query }) => {
  const after = decodeCursor(query.cursor, ['id']);
  const page = pageOf(await readImports(deps, after?.[0], query.limit + 1), query.limit, (one) => [one.id]);
  return { answer: { rows: page.rows.map(summary), next: page.next } };
};
