import { LIMITS } from '@nimble-latch/api';
import type { RowVerdict, Id } from '@nimble-latch/core/vocabulary';
import { LeaseLost, requestJob, type JobRun } from '../../platform/jobs/jobs.js';
import { brokenUniqueIndex, isUnavailable } from '../../platform/db/errors.js';
import {
  carryOut,
  select,
  selectOne,
  selectOneToWrite,
  updateOf,
  write,
  type Db,
  type SqlValues,
} from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { stopPerson } from '../people/change-person.js';
import { lockPerson } from '../people/lock-person.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import { BLOCK_ROWS, readBlocks, type Block } from './blocks.js';
import { checkRows, openImport, previewHolds, progressOf } from './check.js';
import { KINDS } from './kinds.js';
import { clearedMost, missingMost, showImport } from './show.js';
import { emptyTally, lockImport, readImport, type Import, type WrittenTally } from './store.js';
import { entryBy, type Author, type ImportPlanner, type Planned } from './planner.js';

/** Whether people who are missing in the file will be deactivated. With refused rows nobody is: one of those may be theirs. */
const stopsMissing = (one: Import): boolean => one.rules.missing === 'deactivate' && one.counts!.refused === 0;

export const applyImport: Handler<'imports.apply'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const one = await lockImport(work, id);
    if (one.state !== 'checked' && one.state !== 'stopped') throw new Refusal('wrong-state', { state: one.state });
    if (one.version !== call.ifMatch) throw new Refusal('changed-meanwhile');
    const { refused, missing } = one.counts!;
    if (refused > 0 && !call.body.skipBad) throw new Refusal('bad-rows', { refused });
    const most = call.body.missingMost ?? (await missingMost(work, one));
    if (stopsMissing(one) && missing > most) throw new Refusal('too-many-missing', { missing, most });
    const { cleared } = one.findings;
    const clearMost = call.body.clearMost ?? clearedMost(one);
    if (cleared > clearMost) throw new Refusal('too-many-cleared', { cleared, most: clearMost });
    const { actor } = call;
    await carryOut(
      work,
      updateOf(
        'imports',
        idBytes(id),
        {
          state: 'applying',
          problem: null,
          skipBad: call.body.skipBad,
          appliedBy: idBytes(actor.personId),
          appliedFrom: call.origin,
          stepDone: 0,
          stepTotal: one.rows,
        },
        one.version,
      ),
    );
    await work.trail(entryOf(call, 'import.begun', { kind: 'import', id }, { details: { ...one.counts } }));
    await requestJob(deps, work, 'apply-import', { payload: { import: id } });
    const now = await readImport(work, id);
    return { answer: await showImport(deps, now), version: now.version };
  });

export const stopImport: Handler<'imports.stop'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const one = await lockImport(work, id);
    if (one.state !== 'applying') throw new Refusal('wrong-state', { state: one.state });
    // The job notices before its next transaction. Before the first one nothing is written, and the preview stands.
    const state = one.flipped < 0 ? 'checked' : 'stopped';
    await carryOut(work, updateOf('imports', idBytes(id), { state, problem: 'asked-to-stop' }, one.version));
    await work.trail(entryOf(call, 'import.stopped', { kind: 'import', id }));
    const now = await readImport(work, id);
    return { answer: await showImport(deps, now), version: now.version };
  });

/** The import is no longer being written: somebody stopped it, or another process has gone on with it. */
class NoLongerOurs extends Error {}

/** The job behind `imports.apply`. Killed at any moment, it goes on behind the last transaction that was committed. */
export async function applyImportJob(deps: Deps, run: JobRun): Promise<string> {
  const one = await openImport(deps, run);
  if (one?.state !== 'applying') return 'nothing to write';
  try {
    if (one.flipped < 0 && !(await previewHolds(deps, run, one))) {
      await checkRows(deps, run, one, 'overtaken');
      return 'the preview no longer held';
    }
    await new ImportApplier(deps, run, one).all();
    return `${one.rows} rows written`;
  } catch (error) {
    if (error instanceof NoLongerOurs) return 'stopped';
    // A database that is away comes back, and the job is tried again; anything else somebody has to look at.
    if (isUnavailable(error) || error instanceof LeaseLost) throw error;
    deps.log.error({ job: 'apply-import', error }, 'an import stopped');
    await write(
      deps,
      "UPDATE imports SET state = IF(flipped < 0, 'checked', 'stopped'), problem = 'internal', version = version + 1 WHERE id = :id AND state = 'applying'",
      { id: idBytes(one.id) },
    );
    return 'stopped by an error';
  }
}

interface KeptRow {
  number: number;
  verdict: RowVerdict;
  subject_id: Buffer | null;
  issues: string | null;
}

/** Runs of one block before a conflict over a unique name is given up on. */
const MOST_RUNS = 5;

/** Writes an import block by block, each in one transaction that also says how far it is. */
class ImportApplier {
  readonly #deps: Deps;
  readonly #run: JobRun;
  readonly #import: Import;
  readonly #planner: ImportPlanner;
  /** What planning goes on from: kept only after the COMMIT of what was planned. */
  #state: unknown;
  readonly #author: Author;

  constructor(deps: Deps, run: JobRun, one: Import) {
    this.#deps = deps;
    this.#run = run;
    this.#import = one;
    this.#planner = KINDS[one.kind].planner(deps, one);
    this.#state = this.#planner.initial;
    this.#author = {
      actor: { kind: 'person', id: one.appliedBy },
      origin: one.appliedFrom,
      importId: one.id,
    };
  }

  async all(): Promise<void> {
    const { id, rows, flipped, newGroups } = this.#import;
    const tell = progressOf(this.#deps, this.#run, this.#import, 'written');
    let at = flipped;
    // Also when going on: it looks up those that are there.
    this.#state = await inTransaction(this.#deps, async (work) => {
      const outcome = await this.#lock(work, at);
      const begun = await this.#planner.begin(work, this.#state, newGroups, this.#author);
      await this.#note(work, Math.max(at, 0), outcome);
      return begun;
    });
    at = Math.max(at, 0);
    if (at > 0 && this.#planner.remembers) await this.#replay(at);
    // Opened, and what was shown of its rows read, while the one before is being written.
    const shown = new WeakMap<Block, Promise<Map<number, KeptRow>>>();
    let next: Block | undefined;
    const opened = (block: Block) => {
      const reading = this.#kept(this.#deps, block.first, block.first + block.rows.length - 1);
      reading.catch(() => undefined);
      shown.set(block, reading);
      next = block;
    };
    for await (const now of readBlocks(this.#deps, id, at, opened)) {
      const to = now.first + now.rows.length - 1;
      this.#state = await this.#again(async (work) => {
        const outcome = await this.#lock(work, at);
        const kept = await shown.get(now)!;
        // A plan is made anew in each run: what failed the last one may have changed what there is.
        const planned = await this.#planner.plan(work, this.#state, now, true);
        const due = await this.#due(work, planned.rows, kept, outcome);
        await this.#planner.write(work, planned.nextState, due, this.#author, () => {
          if (next && next !== now) this.#planner.prepare?.(next, this.#author);
          next = undefined;
        });
        // Travels with the COMMIT.
        work.atEnd(updateOf('imports', idBytes(id), this.#soFar(to, outcome)));
        return planned.nextState;
      });
      at = to;
      await tell(at);
    }
    if (stopsMissing(this.#import)) await this.#stopMissing(Math.max(at, rows));
    await this.#finish();
  }

  /** Plans the rows that are written already, for what later rows build on them. */
  async #replay(to: number): Promise<void> {
    for await (const block of readBlocks(this.#deps, this.#import.id)) {
      if (block.first > to) return;
      this.#state = (await this.#planner.plan(this.#deps, this.#state, block, false)).nextState;
    }
  }

  /** A block whose row takes a name at the same moment as somebody else's is planned and written again. */
  async #again<T>(useCase: (work: Work) => Promise<T>): Promise<T> {
    for (let run = 1; ; run++) {
      try {
        return await inTransaction(this.#deps, useCase);
      } catch (error) {
        if (brokenUniqueIndex(error) === undefined || run >= MOST_RUNS) throw error;
      }
    }
  }

  /** Holds the import's own row, so that nobody else writes for it, and answers what was written so far. */
  async #lock(work: Work, at: number): Promise<WrittenTally> {
    const row = await selectOneToWrite<{ outcome: string | null }>(
      work,
      "SELECT outcome FROM imports WHERE id = :id AND state = 'applying' AND flipped = :at",
      { id: idBytes(this.#import.id), at },
    );
    if (!row) throw new NoLongerOurs();
    return row.outcome === null ? { ...emptyTally(), overtaken: 0 } : (JSON.parse(row.outcome) as WrittenTally);
  }

  async #note(work: Work, to: number, outcome: WrittenTally): Promise<void> {
    await carryOut(work, updateOf('imports', idBytes(this.#import.id), this.#soFar(to, outcome)));
  }

  #soFar(to: number, outcome: WrittenTally): SqlValues {
    return {
      flipped: to,
      stepDone: Math.min(to, this.#import.rows),
      outcome: JSON.stringify(outcome),
    };
  }

  async #kept(db: Db, from: number, to: number): Promise<Map<number, KeptRow>> {
    const rows = await select<KeptRow>(
      db,
      'SELECT number, verdict, subject_id, issues FROM import_rows WHERE import_id = :id AND number BETWEEN :from AND :to',
      { id: idBytes(this.#import.id), from, to },
    );
    return new Map(rows.map((row) => [row.number, row]));
  }

  /** The rows that are to be written: those that still come to what the preview showed. The others are passed over. */
  async #due(
    work: Work,
    planned: readonly Planned[],
    kept: ReadonlyMap<number, KeptRow>,
    outcome: WrittenTally,
  ): Promise<Planned[]> {
    const due: Planned[] = [];
    for (const one of planned) {
      const shown = kept.get(one.number);
      if (!shown || shown.verdict === 'refused') {
        outcome.refused += 1;
        continue;
      }
      const subject = shown.subject_id && idText(shown.subject_id);
      if (shown.verdict === one.plan.verdict && subject === one.plan.id) {
        outcome[shown.verdict] += 1;
        if (shown.verdict !== 'unchanged') due.push(one);
        continue;
      }
      // Somebody else has made the same change meanwhile.
      if (shown.verdict === 'changed' && one.plan.verdict === 'unchanged') outcome.unchanged += 1;
      else await this.#passOver(work, one.number, outcome);
    }
    return due;
  }

  async #passOver(work: Work, number: number, outcome: WrittenTally): Promise<void> {
    outcome.overtaken += 1;
    await write(work, 'UPDATE import_rows SET overtaken = 1 WHERE import_id = :id AND number = :number', {
      id: idBytes(this.#import.id),
      number,
    });
  }

  /** Deactivates who is missing in the file, some hundred at a time. */
  async #stopMissing(from: number): Promise<void> {
    const { rows, counts, mapping } = this.#import;
    const last = rows + counts!.missing;
    const tell = progressOf(this.#deps, this.#run, this.#import, 'written, and those missing deactivated');
    for (let at = from; at < last;) {
      const to = Math.min(at + BLOCK_ROWS, last);
      await inTransaction(this.#deps, async (work) => {
        const outcome = await this.#lock(work, at);
        const entries: NewEntry[] = [];
        for (const row of (await this.#kept(work, at + 1, to)).values()) {
          if (row.issues !== null) continue;
          const personId = idText(row.subject_id!);
          const still = await this.#stillMissing(work, personId, mapping!.id);
          if (!still) {
            await this.#passOver(work, row.number, outcome);
            continue;
          }
          await stopPerson(this.#deps, work, personId);
          await write(
            work,
            'UPDATE person_references SET left_at = :now WHERE mapping_id = :mapping AND person_id = :person',
            { now: work.now, mapping: idBytes(mapping!.id), person: idBytes(personId) },
          );
          outcome.missing += 1;
          entries.push(
            entryBy(this.#author, 'person.deactivated', { kind: 'person', id: personId }, { person: personId }),
          );
        }
        await work.trailAll(entries);
        await this.#note(work, to, outcome);
      });
      at = to;
      await tell(rows);
    }
  }

  /** Still active, still of this mapping, and neither an administrator nor an emergency account, perhaps since the check. */
  async #stillMissing(work: Work, personId: Id, mappingId: Id): Promise<boolean> {
    const there = await selectOne(
      work,
      `SELECT 1 AS one FROM persons p JOIN person_references r ON r.person_id = p.id
       WHERE p.id = :person AND p.state = 'active' AND r.mapping_id = :mapping AND r.left_at IS NULL
         AND p.emergency = 0 AND NOT EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = p.id)`,
      { person: idBytes(personId), mapping: idBytes(mappingId) },
    );
    if (!there) return false;
    return (await lockPerson(work, personId)).state === 'active';
  }

  async #finish(): Promise<void> {
    await inTransaction(this.#deps, async (work) => {
      const one = await lockImport(work, this.#import.id);
      if (one.state !== 'applying') throw new NoLongerOurs();
      await carryOut(
        work,
        updateOf(
          'imports',
          idBytes(one.id),
          {
            state: 'done',
            finishedAt: work.now,
            stepDone: one.rows,
            keptUntil: new Date(work.now.getTime() + LIMITS.importDays * 86_400_000),
          },
          one.version,
        ),
      );
      await work.trail(
        entryBy(this.#author, 'import.finished', { kind: 'import', id: one.id }, { details: { ...one.outcome } }),
      );
    });
  }
}
