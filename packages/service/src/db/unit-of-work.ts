import { setTimeout as delay } from 'node:timers/promises';
import type { Connection } from 'mariadb';
import type { Deps } from '../deps.js';
import { trailColumns, type NewEntry } from '../trail/writer.js';
import { isRetryable, isUnavailable } from './errors.js';
import { insertion, openWith, withConnection, writeAndCommit, type Db, type Statement } from './sql.js';

/** One transaction of one use case. */
export interface Work extends Db {
  readonly connection: Connection;
  /** The same moment for everything in it. */
  readonly now: Date;
  /** Rows of the opening reads, in their order; empty where none were asked for. */
  readonly opened: readonly (readonly object[])[];
  /** Writes a trail entry in this transaction. */
  trail(entry: NewEntry): Promise<void>;
  /** Leaves a write for the end, where all that were left travel together with the COMMIT. Nothing here may read it. */
  atEnd(statement: Statement): void;
}

/** Runs of a use case before a conflict is given back to the caller. */
const MOST_RUNS = 6;
/** How long a number stays open when nobody can tell whether its transaction was committed. */
const IN_DOUBT_MS = 5_000;

/**
 * Runs a use case in one transaction. After a deadlock or a lost certification the server has rolled everything back,
 * so the whole use case is run again, never the single statement; it must therefore do nothing but through `work`.
 * When the connection is lost during COMMIT nobody knows the outcome: that is given back, and a caller with an
 * `Idempotency-Key` learns it by asking again.
 *
 * @param opening reads that are sent together with the START TRANSACTION; their rows are in `work.opened`
 */
export async function inTransaction<T>(
  deps: Deps,
  useCase: (work: Work) => Promise<T>,
  opening: readonly Statement[] = [],
): Promise<T> {
  for (let run = 1; ; run++) {
    const outcome = await withConnection(
      deps.sequelize,
      async (connection) => await runOnce(deps, connection, useCase, opening),
    );
    if ('result' in outcome) return outcome.result;
    if (!isRetryable(outcome.error) || run >= MOST_RUNS) throw outcome.error;
    deps.metrics.retries.inc();
    // Conflicting use cases that start again at once would meet again.
    await delay(Math.random() * 10 * 2 ** run);
  }
}

async function runOnce<T>(
  deps: Deps,
  connection: Connection,
  useCase: (work: Work) => Promise<T>,
  opening: readonly Statement[],
): Promise<{ result: T } | { error: unknown }> {
  const numbers: number[] = [];
  const left: Statement[] = [];
  const now = deps.now();
  let committing = false;
  let inDoubt = false;
  try {
    let opened: readonly (readonly object[])[] = [];
    let begun: Promise<void> | undefined;
    if (opening.length > 0) opened = await openWith({ sequelize: deps.sequelize, connection }, opening);
    else {
      // Not waited for: it travels with the first statement, and a failure shows there.
      begun = connection.beginTransaction();
      begun.catch(() => undefined);
    }
    const result = await useCase({
      sequelize: deps.sequelize,
      connection,
      now,
      opened,
      trail(entry) {
        const number = deps.trail.reserve();
        numbers.push(number);
        left.push(insertion('trail_entries', trailColumns(deps.trail.entry(number, now, entry))));
        return Promise.resolve();
      },
      atEnd: (statement) => void left.push(statement),
    });
    await begun;
    committing = true;
    if (left.length > 0) await writeAndCommit({ sequelize: deps.sequelize, connection }, left);
    else await connection.commit();
    return { result };
  } catch (error) {
    // An error that the server names came before the COMMIT of the same statement; only a lost connection leaves doubt.
    inDoubt = committing && isUnavailable(error) && !isRetryable(error);
    if (!inDoubt) await connection.rollback().catch(() => undefined);
    return { error };
  } finally {
    if (inDoubt) setTimeout(() => deps.trail.settle(numbers), IN_DOUBT_MS).unref();
    else deps.trail.settle(numbers);
  }
}
