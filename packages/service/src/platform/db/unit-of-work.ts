import { setTimeout as delay } from 'node:timers/promises';
import type { Transaction } from 'sequelize';
import type { Deps } from '../deps.js';
import { trailColumns, type Ended, type NewEntry } from '../trail/writer.js';
import { isRetryable, isServersRefusal, isUnavailable } from './errors.js';
import { insertAll } from './bulk-insert.js';
import { writeAllAndCommit, writeAndCommit } from './transaction-blocks.js';
import { insertion, PATIENCE, selectToWrite, withConnection, type Db, type Statement } from './sql.js';

/** What a use case goes by that reads, decides, and leaves everything that it writes for the end. It has no transaction to ask for. */
export interface Plan {
  /** For reads that take no lock; serves in every run. */
  readonly reading: Db;
  /** Whether the opening read holds its rows' locks. */
  readonly locked: boolean;
  /** The same moment for everything in it. */
  readonly now: Date;
  /** Rows of the opening read; empty where there is none. */
  readonly opened: readonly object[];
  /** Writes a trail entry in this transaction. */
  trail(entry: NewEntry): Promise<void>;
  /** The only way to have an effect outside (a figure, a line in the log, somebody woken): once it is committed, since a run may be repeated. */
  afterCommit(effect: () => void): void;
  /** Leaves a write for the end, where all that were left travel together with the COMMIT. Nothing here may read it. */
  atEnd(this: void, statement: Statement): void;
}

/** One transaction of one use case. */
export interface Work extends Plan, Db {
  /** The transaction, for models and statements alike. */
  readonly transaction: Transaction;
  /** Writes many entries of the trail, at once; for bulk work. */
  trailAll(entries: readonly NewEntry[]): Promise<void>;
}

/** Runs of a use case before a conflict is given back to the caller. */
const MOST_RUNS = 6;

/** A read with which a use case opens that needs nothing else before it writes. */
export interface Opening {
  /** The read in a transaction; FOR UPDATE is added. */
  readonly read: Statement;
  /** The same rows without locks, from wherever they come cheapest. */
  readonly ahead: () => Promise<readonly object[]>;
}

/** A deadlock that a test asked for ({@link Config.faults}). */
class AskedFor extends Error {
  readonly errno = 1213;
}

/**
 * Runs a use case in one transaction. After a deadlock or a lost certification the server has rolled everything back,
 * so the whole use case is run again, never the single statement; it must therefore do nothing but through `work`.
 * When the connection is lost during COMMIT nobody knows the outcome: that is given back, and a caller with an
 * `Idempotency-Key` learns it by asking again.
 *
 * @param read opens it, its rows locked and then in `work.opened`
 */
export async function inTransaction<T>(deps: Deps, useCase: (work: Work) => Promise<T>, read?: Statement): Promise<T> {
  return await runAgain(deps, useCase, async (doing) => ({ outcome: await runOnce(deps, doing, read), locked: true }));
}

/**
 * Runs a use case that opens with a read. The first run takes no locks: it reads, decides, and writes everything at the end in
 * one transaction whose writes hold only while what was read still stands (`matchesOne`). Where that fails, somebody else was
 * at the same rows, and the next runs are in a transaction that holds the locks of the opening read from the start.
 */
export async function optimistically<T>(deps: Deps, useCase: (plan: Plan) => Promise<T>, opening: Opening): Promise<T> {
  return await runAgain(deps, useCase, async (doing, run) =>
    run === 1
      ? { outcome: await runAhead(deps, doing, opening.ahead), locked: false }
      : { outcome: await runOnce(deps, doing, opening.read), locked: true },
  );
}

/**
 * The first run of {@link optimistically} alone, for what goes another way where something is not as usual.
 *
 * @returns undefined where the use case found nothing to do, or where what it read stood no more when it was to be written: nothing of it was
 */
export async function onceAhead<T>(
  deps: Deps,
  useCase: (plan: Plan) => Promise<T | undefined>,
  ahead: Opening['ahead'],
): Promise<T | undefined> {
  const outcome = await runAhead(deps, deps.config.faults === 'first-runs' ? failingOnce(useCase) : useCase, ahead);
  if ('result' in outcome) return outcome.result;
  if (isUnavailable(outcome.error)) deps.pulse.lookNow();
  if (!isRetryable(outcome.error)) throw outcome.error;
  deps.metrics.retries.inc();
  return undefined;
}

/** As by a deadlock, when all but its COMMIT is done. */
const failingOnce =
  <T, P extends Plan>(useCase: (plan: P) => Promise<T>) =>
  async (plan: P): Promise<T> => {
    await useCase(plan);
    throw new AskedFor();
  };

type RunResult<T> = { readonly result: T } | { readonly error: unknown };

async function runAgain<T, P extends Plan>(
  deps: Deps,
  useCase: (plan: P) => Promise<T>,
  runIt: (
    useCase: (plan: P) => Promise<T>,
    run: number,
  ) => Promise<{ readonly outcome: RunResult<T>; readonly locked: boolean }>,
): Promise<T> {
  for (let run = 1; ; run++) {
    const doing = run === 1 && deps.config.faults === 'first-runs' ? failingOnce(useCase) : useCase;
    const { outcome, locked } = await runIt(doing, run);
    if ('result' in outcome) return outcome.result;
    const { error } = outcome;
    if (isUnavailable(error)) deps.pulse.lookNow();
    if (!isRetryable(error) || run >= MOST_RUNS) throw error;
    deps.metrics.retries.inc();
    // Conflicting use cases that start again at once would meet again; behind locks they queue.
    if (locked) await delay(Math.random() * 10 * 2 ** run);
  }
}

/** Long enough for whoever was sent at the same moment to come as far. */
const MEETING_MS = 60;

const meeting = async ({ config }: Deps): Promise<void> => {
  if (config.faults === 'slow-commits') await delay(MEETING_MS);
};

/** A run in a transaction from its first statement. */
async function runOnce<T>(
  deps: Deps,
  useCase: (work: Work) => Promise<T>,
  read: Statement | undefined,
): Promise<RunResult<T>> {
  const draft = new Draft(deps);
  const { sequelize } = deps;
  try {
    const result = await sequelize.transaction(async (transaction) => {
      const db = { sequelize, transaction };
      const opened = read ? await selectToWrite<object>(db, read.sql, read.values) : [];
      const trailAll = async (entries: readonly NewEntry[]) => await draft.trailAll(db, entries);
      const made = await useCase({ ...db, reading: db, locked: true, opened, trailAll, ...draft.parts });
      await meeting(deps);
      // The COMMIT is in it: from here on a lost connection leaves the outcome open.
      draft.committing();
      await writeAndCommit(transaction, draft.left);
      return made;
    });
    draft.committed();
    return { result };
  } catch (error) {
    draft.failed(error);
    return { error };
  } finally {
    draft.settle();
  }
}

/** A run that reads without locks and writes once, at its end, if what it read still stands. */
async function runAhead<T>(
  deps: Deps,
  useCase: (plan: Plan) => Promise<T>,
  ahead: () => Promise<readonly object[]>,
): Promise<RunResult<T>> {
  const draft = new Draft(deps);
  try {
    const opened = await ahead();
    const reading = { sequelize: deps.sequelize };
    const result = await useCase({ reading, locked: false, opened, ...draft.parts });
    const { left } = draft;
    await meeting(deps);
    draft.committing();
    if (left.length > 0) await deps.batcher.ask(commitAll, left, shapeOf(left), MOST_COMMITTED);
    draft.committed();
    return { result };
  } catch (error) {
    draft.failed(error);
    return { error };
  } finally {
    draft.settle();
  }
}

/** Transactions that are committed as one at most; the text of so many is still worth keeping prepared. */
const MOST_COMMITTED = 8;

/** Transactions of the same statements make the same text whichever of them meet. */
const shapeOf = (left: readonly Statement[]): string => left.map(({ sql }) => sql).join(';');

/**
 * Commits transactions that were ready at about the same moment as one, so that a busy service makes fewer of them. Each
 * still holds or not by its own conditions: where one does not, or would have to wait for somebody's lock, nothing of any is
 * kept, and each is sent by itself; the one that fails is then run again with a connection of its own.
 */
async function commitAll(db: Db, transactions: readonly (readonly Statement[])[]): Promise<readonly undefined[]> {
  await withConnection(db.sequelize, async (connection) => {
    try {
      await writeAllAndCommit(connection, transactions);
    } catch (error) {
      // The block ended where it failed, with its transaction open.
      await connection.rollback().catch(() => undefined);
      await connection.query(PATIENCE).catch(() => undefined);
      throw error;
    }
  });
  return transactions.map(() => undefined);
}

/** What a run leaves to be written at its end, and the numbers of the trail that it holds. */
class Draft {
  readonly #deps: Deps;
  readonly #numbers: number[] = [];
  readonly #left: Statement[] = [];
  readonly #effects: (() => void)[] = [];
  #ended: Ended = 'rolled-back';
  readonly parts: Pick<Plan, 'now' | 'trail' | 'atEnd' | 'afterCommit'>;

  constructor(deps: Deps) {
    this.#deps = deps;
    const now = deps.now();
    this.parts = {
      now,
      trail: (entry) => {
        const number = deps.trail.reserve();
        this.#numbers.push(number);
        this.#left.push(insertion('trail_entries', trailColumns(deps.trail.entry(number, now, entry))));
        return Promise.resolve();
      },
      atEnd: (statement) => void this.#left.push(statement),
      afterCommit: (effect) => void this.#effects.push(effect),
    };
  }

  async trailAll(db: Db, entries: readonly NewEntry[]): Promise<void> {
    if (entries.length === 0) return;
    const { trail } = this.#deps;
    const rows = entries.map((entry) => {
      const number = trail.reserve();
      this.#numbers.push(number);
      return trailColumns(trail.entry(number, this.parts.now, entry), this.parts.now);
    });
    await insertAll(db, 'trail_entries', rows);
  }

  /** What was left for the end. */
  get left(): readonly Statement[] {
    return this.#left;
  }

  /** The COMMIT is on its way. */
  committing(): void {
    this.#ended = 'unknown';
  }

  committed(): void {
    this.#ended = 'committed';
    for (const effect of this.#effects) effect();
  }

  /** The run failed: what the server refused came before any COMMIT. */
  failed(error: unknown): void {
    if (this.#ended === 'unknown' && isServersRefusal(error)) this.#ended = 'rolled-back';
  }

  settle(): void {
    const { trail } = this.#deps;
    if (this.#ended === 'unknown') trail.settleInDoubt(this.#numbers);
    else trail.settle(this.#numbers, this.#ended);
  }
}
