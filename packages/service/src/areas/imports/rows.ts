import { Readable } from 'node:stream';
import type { Answer } from '@nimble-latch/api';
import { catalogue, say } from '@nimble-latch/api';
import { looksSecret } from '@nimble-latch/core/tokenfiles';
import type { RowVerdict } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { select } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { csvLines } from '../../platform/http/csv.js';
import { idBytes, idText } from '../../platform/ids.js';
import { readBlockAfter, type Block, type FileRow } from './blocks.js';
import type { KeptIssues } from './check.js';
import { KINDS } from './kinds.js';
import type { Planned } from './planner.js';
import { readImport, type Import } from './store.js';

interface KeptRow {
  number: number;
  verdict: RowVerdict;
  subject_id: Buffer | null;
  overtaken: number;
  issues: string | null;
  name: string | null;
}

type Shown = Answer<'imports.rows'>['rows'][number];

/** Rows of an import as they were kept, after a row, of one verdict or of all. */
async function keptRows(
  deps: Deps,
  one: Import,
  after: number,
  limit: number,
  condition: string,
  verdict?: RowVerdict,
): Promise<KeptRow[]> {
  return await select<KeptRow>(
    deps,
    `SELECT r.number, r.verdict, r.subject_id, r.overtaken, r.issues, COALESCE(p.display_name, g.name, t.serial) AS name
     FROM import_rows r LEFT JOIN persons p ON p.id = r.subject_id LEFT JOIN person_groups g ON g.id = r.subject_id LEFT JOIN tokens t ON t.id = r.subject_id
     WHERE r.import_id = :id AND r.number > :after ${verdict ? 'AND r.verdict = :verdict' : ''} ${condition}
     ORDER BY r.number LIMIT :limit`,
    { id: idBytes(one.id), after, limit, ...(verdict ? { verdict } : {}) },
  );
}

/** The blocks that hold these rows, each opened once. */
async function blocksOf(deps: Deps, one: Import, numbers: readonly number[]): Promise<Block[]> {
  const blocks: Block[] = [];
  for (const number of numbers) {
    const last = blocks[blocks.length - 1];
    if (last && number < last.first + last.rows.length) continue;
    const block = await readBlockAfter(deps, deps, one.id, number - 1);
    if (block) blocks.push(block);
  }
  return blocks;
}

const rowIn = (blocks: readonly Block[], number: number): FileRow | undefined => {
  const block = blocks.find(({ first, rows }) => number >= first && number < first + rows.length);
  return block?.rows[number - block.first];
};

const issuesOf = (one: Import, kept: string | null): Shown['issues'] =>
  kept === null
    ? []
    : (JSON.parse(kept) as KeptIssues).map(({ column, reason, facts }) => ({
        column: column === null ? null : (one.columns[column]?.name ?? null),
        reason,
        facts: { ...facts },
      }));

function doneOf(one: Import, row: KeptRow): Shown['done'] {
  if (row.overtaken === 1) return 'overtaken';
  const writes = row.verdict === 'new' || row.verdict === 'changed' || row.verdict === 'returning';
  const stops = row.verdict === 'missing' && one.rules.missing === 'deactivate' && row.issues === null;
  return (writes || (stops && one.counts?.refused === 0)) && row.number <= one.flipped ? 'written' : null;
}

/** What changes from what to what is told as things are now: it is shown to people, and not kept. */
export const previewRows: Handler<'imports.rows'> = async (deps, { params, query }) => {
  const one = await readImport(deps, params.id);
  if (one.counts === null) return { answer: { rows: [], next: null } };
  const after = decodeCursor(query.cursor, ['number'])?.[0] ?? 0;
  const kept = pageOf(await keptRows(deps, one, after, query.limit + 1, '', query.verdict), query.limit, (row) => [
    row.number,
  ]);
  const inFile = kept.rows.filter((row) => row.number <= one.rows);
  const blocks = await blocksOf(
    deps,
    one,
    inFile.map((row) => row.number),
  );
  const planner = KINDS[one.kind].planner(deps, one);
  let state = planner.initial;
  const wanted = new Set(inFile.map((row) => row.number));
  const planned = new Map<number, Planned>();
  for (const block of blocks) {
    const rows = block.rows
      .map((row, i) => ({ row, number: block.first + i }))
      .filter(({ number }) => wanted.has(number));
    // Only the rows of this page, without their places: those they have are put back by their order.
    const those = { first: 1, rows: rows.map(({ row }) => row) };
    const { rows: plans, nextState } = await planner.plan(deps, state, those, false);
    state = nextState;
    rows.forEach(({ number }, i) => planned.set(number, plans[i]!));
  }
  const shown = kept.rows.map((row): Shown => {
    const plan = planned.get(row.number);
    const done = doneOf(one, row);
    return {
      line: rowIn(blocks, row.number)?.line ?? null,
      verdict: row.verdict,
      done,
      id: row.subject_id && idText(row.subject_id),
      name: plan?.name ?? row.name,
      changes:
        row.verdict === 'missing'
          ? one.rules.missing === 'deactivate' && row.issues === null
            ? [{ what: 'state', from: 'active', to: 'deactivated' }]
            : []
          : done === 'written' || row.verdict === 'refused'
            ? []
            : [...(plan?.plan.changes ?? [])],
      issues: row.overtaken === 1 ? [{ column: null, reason: 'overtaken', facts: {} }] : issuesOf(one, row.issues),
    };
  });
  return { answer: { rows: shown, next: kept.next } };
};

const PAGE = 500;

/** The rows that were or will not be written, as they came, with line and reasons before them. */
async function* report(deps: Deps, one: Import): AsyncGenerator<string> {
  const words = catalogue('en');
  yield csvLines([['line', 'problem', ...one.columns.map((column) => column.name)]]);
  let after = 0;
  for (;;) {
    const rows = await keptRows(
      deps,
      one,
      after,
      PAGE,
      `AND (r.verdict = 'refused' OR r.overtaken = 1) AND r.number <= ${one.rows}`,
    );
    if (rows.length === 0) return;
    const blocks = await blocksOf(
      deps,
      one,
      rows.map((row) => row.number),
    );
    yield csvLines(
      rows.map((row) => {
        const found = rowIn(blocks, row.number)!;
        const problems =
          row.overtaken === 1
            ? words.rowReasons.overtaken
            : issuesOf(one, row.issues)
                .map(({ column, reason, facts }) =>
                  `${column ?? ''} ${say(words.rowReasons[reason], facts, words.language)}`.trim(),
                )
                .join('; ');
        const shown = one.kind === 'tokens' ? found.cells.map((cell) => (looksSecret(cell) ? '' : cell)) : found.cells;
        return [String(found.line), problems, ...shown];
      }),
    );
    after = rows[rows.length - 1]!.number;
  }
}

export const reportImport: Handler<'imports.report'> = async (deps, call) => {
  const one = await readImport(deps, call.params.id);
  await inTransaction(deps, async (work) => {
    await work.trail(entryOf(call, 'import.report-taken', { kind: 'import', id: one.id }));
  });
  return { answer: '', stream: Readable.from(report(deps, one)) };
};
