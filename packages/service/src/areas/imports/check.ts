import { createHash } from 'node:crypto';
import { LIMITS } from '@nimble-latch/api';
import { columnsLack, isCountry, MEANINGS, type RowIssue } from '@nimble-latch/core/tables';
import { type Id, TRAIL_ACTIONS, type ColumnMeaning, type RowVerdict } from '@nimble-latch/core/vocabulary';
import { LeaseLost, requestJob, type JobRun } from '../../platform/jobs/jobs.js';
import { isRetryable, isUnavailable } from '../../platform/db/errors.js';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { carryOut, select, selectOne, updateOf, write, type SqlValues } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, storedId } from '../../platform/ids.js';
import { readBlocks } from './blocks.js';
import { KINDS } from './kinds.js';
import { FindingsOf } from './findings.js';
import { OneBehind } from './one-behind.js';
import { saveMapping } from './mappings.js';
import { showImport } from './show.js';
import { emptyTally, lockImport, readImport, type Findings, type Import, type Rules, type Tally } from './store.js';

/** Rows deleted or added at once beside the blocks. */
const BATCH = 5_000;

/** Columns and rules as they were sent, or which field is wrong and how. */
function assertUsable(one: Import, meanings: readonly ColumnMeaning[], rules: Rules, saveAs: string | null): void {
  if (meanings.length !== one.columns.length)
    throw badField('body.columns', 'columns-number', { number: one.columns.length });
  meanings.forEach((meaning, i) => {
    // Members of a credential are named in the file itself.
    const fixed = one.kind === 'keys' && meaning !== one.columns[i]!.meaning;
    if (fixed || !MEANINGS[one.kind].includes(meaning))
      throw badField(`body.columns[${i}]`, 'column-of-other-kind', { meaning });
  });
  const saidOfAll = Object.values(rules.whole).some((said) => said !== null);
  const lack = columnsLack(one.kind, meanings, saidOfAll);
  if (lack)
    throw badField('body.columns', lack.why === 'lacks' ? 'columns-lack' : 'column-twice', { meaning: lack.meaning });
  if (rules.country !== null && !isCountry(rules.country)) throw badField('body.rules.country', 'country');
  if (rules.missing === 'deactivate' && (saveAs === null || one.kind !== 'people'))
    throw badField('body.rules.missing', 'missing-needs-mapping');
}

export const checkImport: Handler<'imports.check'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { rules, saveAs, dryRun } = call.body;
    const one = await lockImport(work, id);
    if (one.state !== 'staged' && one.state !== 'checked') throw new Refusal('wrong-state', { state: one.state });
    assertUsable(one, call.body.columns, rules, saveAs);
    const columns = one.columns.map(({ name }, i) => ({ name, meaning: call.body.columns[i]! }));
    const mapping = saveAs === null ? null : await saveMapping(deps, work, saveAs, one.kind, columns, rules);
    if (mapping?.changed)
      await work.trail(
        entryOf(call, 'import-mapping.saved', { kind: 'import-mapping', id: mapping.id }, { details: { import: id } }),
      );
    await carryOut(
      work,
      updateOf(
        'imports',
        idBytes(id),
        {
          state: 'checking',
          columns: JSON.stringify(columns),
          rules: JSON.stringify(rules),
          mappingId: mapping && idBytes(mapping.id),
          counts: null,
          findings: null,
          dryRun,
          digest: null,
          problem: null,
          stepDone: 0,
          stepTotal: one.rows,
        },
        one.version,
      ),
    );
    await requestJob(deps, work, 'check-import', { payload: { import: id } });
    const now = await readImport(work, id);
    return { answer: await showImport(deps, now), version: now.version };
  });

/** What planning all rows found. */
interface Found {
  readonly counts: Tally;
  /** Over verdicts, whom they concern, and every change: the same for the same preview. */
  readonly digest: Buffer;
  readonly newGroups: readonly string[];
  readonly findings: Findings;
}

/** Issues as they are kept: columns by their place. */
export type KeptIssues = readonly RowIssue[];

/** Plans every row as things are now; `keep` is given what to remember of them. */
async function planAll(
  deps: Deps,
  one: Import,
  keep: (rows: readonly SqlValues[], done: number) => Promise<void>,
): Promise<Found> {
  const planner = KINDS[one.kind].planner(deps, one);
  let state = planner.initial;
  const counts = emptyTally();
  const digest = createHash('sha256');
  const findings = new FindingsOf(one);
  const note = (verdict: RowVerdict, number: number, id: Id | null, what: unknown) => {
    counts[verdict] += 1;
    digest.update(`${number} ${verdict} ${id} ${JSON.stringify(what)}\n`);
  };
  const keeping = new OneBehind();
  for await (const block of readBlocks(deps, one.id)) {
    const { rows: planned, nextState } = await planner.plan(deps, state, block, false);
    state = nextState;
    for (const { number, plan, row } of planned) {
      note(plan.verdict, number, plan.id, [plan.changes, plan.issues]);
      findings.note(plan, () => planner.likeness?.(row));
    }
    const kept = planned.map(({ number, plan }) => ({
      importId: idBytes(one.id),
      number,
      verdict: plan.verdict,
      subjectId: plan.id === null ? null : idBytes(plan.id),
      issues: plan.issues.length > 0 ? JSON.stringify(plan.issues satisfies KeptIssues) : null,
    }));
    await keeping.start(async () => await keep(kept, block.first + block.rows.length - 1));
  }
  await keeping.ended();
  let number = one.rows;
  for await (const missing of missingPeople(deps, one)) {
    for (const { id, holdsRole } of missing) note('missing', ++number, id, holdsRole);
    const from = number - missing.length + 1;
    await keep(
      missing.map(({ id, holdsRole }, i) => ({
        importId: idBytes(one.id),
        number: from + i,
        verdict: 'missing',
        subjectId: idBytes(id),
        issues: holdsRole ? JSON.stringify([{ column: null, reason: 'holds-a-role' }] satisfies KeptIssues) : null,
      })),
      one.rows,
    );
  }
  return { counts, digest: digest.digest(), newGroups: [...planner.newGroups(state)].sort(), findings: findings.all() };
}

/** People whom the mapping brought, who are active, and whom no row is about. Found by the rows that were kept. */
async function* missingPeople(
  deps: Deps,
  one: Import,
): AsyncGenerator<{ readonly id: Id; readonly holdsRole: boolean }[]> {
  if (!one.mapping) return;
  let after: Buffer = Buffer.alloc(16);
  for (;;) {
    const rows = await select<{ person_id: Buffer; holds_role: number }>(
      deps,
      `SELECT r.person_id, p.emergency = 1 OR EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = r.person_id) AS holds_role
       FROM person_references r JOIN persons p ON p.id = r.person_id
       WHERE r.mapping_id = :mapping AND r.left_at IS NULL AND p.state = 'active' AND r.person_id > :after
         AND NOT EXISTS (SELECT 1 FROM import_rows i WHERE i.subject_id = r.person_id AND i.import_id = :import AND i.number <= :rows)
       ORDER BY r.person_id LIMIT ${BATCH}`,
      { mapping: idBytes(one.mapping.id), import: idBytes(one.id), rows: one.rows, after },
    );
    if (rows.length === 0) return;
    yield rows.map((row) => ({ id: idText(row.person_id), holdsRole: Number(row.holds_role) === 1 }));
    after = rows[rows.length - 1]!.person_id;
  }
}

/** How often a step tells how far it is: each telling is a write that waits for the disk. */
const TELL_MS = 1_000;

/** Keeps the lease of a job and tells how far its step is, once a second at most. */
export function progressOf(deps: Deps, run: JobRun, one: Import, sentence: string): (done: number) => Promise<void> {
  let told = performance.now();
  return async (done) => {
    if (performance.now() - told < TELL_MS) return;
    told = performance.now();
    await write(deps, 'UPDATE imports SET step_done = :done WHERE id = :id', { id: idBytes(one.id), done });
    await run.progress(`${done} of ${one.rows} rows ${sentence}`);
  };
}

/** Checks every row and keeps what it comes to; the import is then ready to be looked at. */
export async function checkRows(deps: Deps, run: JobRun, one: Import, problem: 'overtaken' | null): Promise<void> {
  let gone: number;
  do {
    gone = await write(deps, `DELETE FROM import_rows WHERE import_id = :id LIMIT ${BATCH}`, { id: idBytes(one.id) });
    await run.progress('clearing');
  } while (gone === BATCH);
  const tell = progressOf(deps, run, one, 'checked');
  const checkedFrom = deps.now();
  const found = await planAll(deps, one, async (rows, done) => {
    if (rows.length > 0) await insertAll(deps, 'import_rows', rows);
    await tell(done);
  });
  await carryOut(
    deps,
    updateOf('imports', idBytes(one.id), {
      state: 'checked',
      counts: JSON.stringify(found.counts),
      digest: found.digest,
      checkedFrom,
      newGroups: JSON.stringify(found.newGroups),
      findings: JSON.stringify(found.findings),
      problem,
      keptUntil: new Date(
        deps.now().getTime() + (one.dryRun ? LIMITS.dryRunMinutes * 60_000 : LIMITS.importDays * 86_400_000),
      ),
      // With the rest in one write: whoever sees that it is checked sees the version to apply.
      version: one.version + 1,
    }),
  );
}

/** What the trail calls the changes that a plan depends on. */
const TOUCHING = TRAIL_ACTIONS.filter(
  (action) => /^(person|login-name|group|role|token)\./.test(action) || action === 'import-mapping.deleted',
);
/** A transaction writes its trail with the time at which it began, by the clock of its node. */
const LONGEST_TRANSACTION_MS = 120_000;
/** Entries looked through; with more since the check, checking again is no dearer. */
const MOST_LOOKED_THROUGH = 20_000;

/**
 * Whether the trail shows that nobody has touched people or groups since the check. An answer that is wrong costs
 * little: each block is planned anew before it is written, and rows that come to something else are passed over.
 */
async function untouchedSince(deps: Deps, from: Date): Promise<boolean> {
  const found = await selectOne<{ entries: number; touching: number | null }>(
    deps,
    `SELECT COUNT(*) AS entries, SUM(action IN (:touching)) AS touching
     FROM (SELECT action FROM trail_entries WHERE at >= :since LIMIT ${MOST_LOOKED_THROUGH}) latest`,
    { touching: TOUCHING, since: new Date(from.getTime() - LONGEST_TRANSACTION_MS) },
  );
  return Number(found!.entries) < MOST_LOOKED_THROUGH && Number(found!.touching) === 0;
}

/** Whether the preview still shows what would happen. */
export async function previewHolds(deps: Deps, run: JobRun, one: Import): Promise<boolean> {
  if (one.checkedFrom && (await untouchedSince(deps, one.checkedFrom))) return true;
  const tell = progressOf(deps, run, one, 'checked again');
  const found = await planAll(deps, one, async (_rows, done) => await tell(done));
  return one.digest !== null && found.digest.equals(one.digest);
}

/** The job behind `imports.check`. */
export async function checkImportJob(deps: Deps, run: JobRun): Promise<string> {
  const one = await openImport(deps, run);
  if (one?.state !== 'checking') return 'nothing to check';
  try {
    await checkRows(deps, run, one, null);
    return `${one.rows} rows checked`;
  } catch (error) {
    if (error instanceof LeaseLost || isUnavailable(error) || isRetryable(error)) throw error;
    // Trying again would end the same way, and what is being checked can be neither changed nor discarded.
    deps.log.error({ job: 'check-import', error }, 'an import could not be checked');
    await write(
      deps,
      "UPDATE imports SET state = 'staged', problem = 'internal', version = version + 1 WHERE id = :id AND state = 'checking'",
      { id: idBytes(one.id) },
    );
    return 'stopped by an error';
  }
}

/** The import that a job is for; undefined when it was discarded meanwhile. */
export async function openImport(deps: Deps, run: JobRun): Promise<Import | undefined> {
  const id = storedId(String(run.payload['import']));
  const there = await selectOne(deps, 'SELECT 1 AS one FROM imports WHERE id = :id AND received = 1', {
    id: idBytes(id),
  });
  return there && (await readImport(deps, id));
}
