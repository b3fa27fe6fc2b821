import { MOST_ATTEMPTS, retryDelayMs } from '@nimble-latch/core/jobs';
import { selectOne, write, type Db } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { idBytes, newId } from '../ids.js';
import { renewLease, takeDueRow } from './leases.js';

/** What a running job is given. */
export interface JobRun {
  readonly payload: Record<string, unknown>;
  /** Keeps the lease and shows how far the work is. Throws when another process has taken the job over. */
  progress(said: string, payload?: Record<string, unknown>): Promise<void>;
}

/** One kind of background work. It must be safe to start again from what it last put into its payload. */
export interface JobKind {
  /** Seconds until it runs again; undefined for work that is asked for and done once. */
  readonly everySeconds?: number;
  /** May run for minutes: it gets a lane of its own, so that what recurs is never kept waiting by it. */
  readonly long?: boolean;
  run(deps: Deps, run: JobRun): Promise<string>;
}

export type JobKinds = Readonly<Record<string, JobKind>>;

/** Asks for a job. A singleton that is there already runs once more; one that is running, once it has ended. */
export async function requestJob(
  deps: Deps,
  db: Db,
  kind: string,
  options: { singleton?: string; payload?: object; runAt?: Date } = {},
): Promise<void> {
  await write(
    db,
    `INSERT INTO jobs (id, kind, singleton, state, run_at, payload, progress, created_at)
     VALUES (:id, :kind, :singleton, 'waiting', :runAt, :payload, '', UTC_TIMESTAMP(3))
     ON DUPLICATE KEY UPDATE run_at = VALUES(run_at), attempts = 0, state = IF(state IN ('done', 'failed'), 'waiting', state)`,
    {
      id: idBytes(newId(deps)),
      kind,
      singleton: options.singleton ?? null,
      payload: JSON.stringify(options.payload ?? {}),
      runAt: options.runAt ?? deps.now(),
    },
  );
}

/** Sees to it that every recurring kind has its row. */
export async function requestRecurringJobs(deps: Deps, kinds: JobKinds): Promise<void> {
  for (const [kind, { everySeconds }] of Object.entries(kinds))
    if (everySeconds !== undefined)
      await requestJob(deps, { sequelize: deps.sequelize }, kind, { singleton: kind, runAt: new Date(0) });
}

/** Another process has taken the job over; what was begun here is left alone. */
export class LeaseLost extends Error {}

/**
 * Runs the jobs of these kinds that are due, one after another; answers how many. A kind of a newer release is left for
 * a node of that release.
 */
export async function runDueJobs(deps: Deps, kinds: JobKinds): Promise<number> {
  const db = { sequelize: deps.sequelize };
  for (let ran = 0; ; ran++) {
    const id = await takeDueRow(deps, 'jobs', Object.keys(kinds));
    if (!id) return ran;
    const row = await selectOne<{ kind: string; payload: string; attempts: number; run_at: Date }>(
      db,
      'SELECT kind, payload, attempts, run_at FROM jobs WHERE id = :id',
      { id },
    );
    if (!row) continue;
    const kind = kinds[row.kind]!;
    const mine = 'WHERE id = :id AND lease_holder = :holder';
    const holder = idBytes(deps.trail.id);
    try {
      const said = await kind.run(deps, {
        payload: JSON.parse(row.payload) as Record<string, unknown>,
        async progress(words, payload) {
          if (!(await renewLease(deps, 'jobs', id))) throw new LeaseLost();
          await write(db, `UPDATE jobs SET progress = :words, payload = COALESCE(:payload, payload) ${mine}`, {
            id,
            holder,
            words: words.slice(0, 200),
            payload: payload ? JSON.stringify(payload) : null,
          });
        },
      });
      await write(
        db,
        `UPDATE jobs SET state = IF(:every IS NULL AND run_at = :runAt, 'done', 'waiting'), progress = :said, payload = '{}', attempts = 0, last_error = NULL, lease_holder = NULL, lease_until = NULL,
           run_at = IF(:every IS NULL, run_at, UTC_TIMESTAMP(3) + INTERVAL COALESCE(:every, 0) SECOND) ${mine}`,
        {
          id,
          holder,
          runAt: row.run_at,
          said: said.slice(0, 200),
          every: kind.everySeconds ?? null,
        },
      );
    } catch (error) {
      if (error instanceof LeaseLost) continue;
      const failed = row.attempts >= MOST_ATTEMPTS && kind.everySeconds === undefined;
      deps.log.error({ job: row.kind, attempts: row.attempts, error }, 'job failed');
      await write(
        db,
        `UPDATE jobs SET state = :state, run_at = :runAt, last_error = :lastError, lease_holder = NULL, lease_until = NULL ${mine}`,
        {
          id,
          holder,
          state: failed ? 'failed' : 'waiting',
          runAt: new Date(deps.now().getTime() + retryDelayMs(row.attempts)),
          lastError: error instanceof Error ? error.name : 'unknown',
        },
      );
    }
  }
}
