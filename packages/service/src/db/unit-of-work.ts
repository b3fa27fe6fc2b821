import { setTimeout as delay } from 'node:timers/promises';
import type { Transaction } from 'sequelize';
import type { Deps } from '../deps.js';
import { trailColumns, type NewEntry } from '../trail/writer.js';
import { isRetryable } from './errors.js';
import { insert, type Db } from './sql.js';

/** One transaction of one use case. */
export interface Work extends Db {
  readonly transaction: Transaction;
  /** The same moment for everything in it. */
  readonly now: Date;
  /** Writes a trail entry in this transaction. */
  trail(entry: NewEntry): Promise<void>;
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
 */
export async function inTransaction<T>(deps: Deps, useCase: (work: Work) => Promise<T>): Promise<T> {
  for (let run = 1; ; run++) {
    const numbers: number[] = [];
    const transaction = await deps.sequelize.transaction();
    let committing = false;
    let inDoubt = false;
    try {
      const now = deps.now();
      const result = await useCase({
        sequelize: deps.sequelize,
        transaction,
        now,
        async trail(entry) {
          const number = deps.trail.reserve();
          numbers.push(number);
          await insert(
            { sequelize: deps.sequelize, transaction },
            'trail_entries',
            trailColumns(deps.trail.entry(number, now, entry)),
          );
        },
      });
      committing = true;
      await transaction.commit();
      return result;
    } catch (error) {
      const retry = isRetryable(error);
      inDoubt = committing && !retry;
      if (!committing) await transaction.rollback().catch(() => undefined);
      if (!retry || run >= MOST_RUNS) throw error;
      deps.metrics.retries.inc();
    } finally {
      if (inDoubt) setTimeout(() => deps.trail.settle(numbers), IN_DOUBT_MS).unref();
      else deps.trail.settle(numbers);
    }
    // Conflicting use cases that start again at once would meet again.
    await delay(Math.random() * 10 * 2 ** run);
  }
}
