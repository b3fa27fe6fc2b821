import { MOST_ATTEMPTS } from '@nimble-latch/core/jobs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { carryOut, insertion, select, selectOne, write, type Db } from '../db/sql.js';
import { newId, idBytes } from '../ids.js';
import { served } from '../../host/areas.js';
import { requestJob, requestRecurringJobs, runDueJobs, type JobKinds } from './jobs.js';

let inside: Inside;
let db: Db;
beforeAll(async () => {
  inside = await openInside();
  db = { sequelize: inside.deps.sequelize };
});
afterAll(async () => await inside.close());

interface JobRow {
  state: string;
  progress: string;
  attempts: number;
  last_error: string | null;
  payload: string;
}
const job = async (kind: string) =>
  await selectOne<JobRow>(db, 'SELECT state, progress, attempts, last_error, payload FROM jobs WHERE kind = :kind', {
    kind,
  });
/** As if the time to wait had passed. */
const hasten = async () =>
  await write(db, "UPDATE jobs SET run_at = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE state = 'waiting'");

describe('a job', () => {
  it('is taken by one process of many, and says what it did', async () => {
    const other = await inside.another();
    let runs = 0;
    const kinds: JobKinds = {
      count: {
        run: async (_, run) => {
          runs += 1;
          await run.progress('half of it');
          return `counted ${String(run.payload['to'])}`;
        },
      },
    };
    await requestJob(inside.deps, db, 'count', { payload: { to: 3 } });
    await Promise.all([runDueJobs(inside.deps, kinds), runDueJobs(other, kinds), runDueJobs(other, kinds)]);
    expect(runs).toBe(1);
    expect(await job('count')).toMatchObject({ state: 'done', progress: 'counted 3' });
  });

  it('whose lease went to another process stops there, and the other goes on from what was last kept', async () => {
    const other = await inside.another();
    const seen: unknown[] = [];
    let ended = 0;
    const kinds: JobKinds = {
      haul: {
        run: async (deps, run) => {
          seen.push(run.payload['done'] ?? 0);
          await run.progress('one of two', { done: 1 });
          if (deps === inside.deps) {
            // The process stood still for longer than its lease; meanwhile another takes the job and ends it.
            await write(db, "UPDATE jobs SET lease_until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE kind = 'haul'");
            await runDueJobs(other, kinds);
            await run.progress('two of two');
          }
          ended += 1;
          return 'hauled';
        },
      },
    };
    await requestJob(inside.deps, db, 'haul');
    await runDueJobs(inside.deps, kinds);
    expect({ seen, ended }).toEqual({ seen: [0, 1], ended: 1 });
    expect(await job('haul')).toMatchObject({ state: 'done', progress: 'hauled' });
  });

  it('that fails is tried again, later each time, and given up with the kind of its error alone', async () => {
    let tries = 0;
    const kinds: JobKinds = {
      dredge: {
        run: () => {
          tries += 1;
          return Promise.reject(new RangeError('secret of the harbour'));
        },
      },
    };
    await requestJob(inside.deps, db, 'dredge');
    await runDueJobs(inside.deps, kinds);
    expect(await job('dredge')).toMatchObject({ state: 'waiting', attempts: 1, last_error: 'RangeError' });
    // Not due yet.
    expect(await runDueJobs(inside.deps, kinds)).toBe(0);
    while ((await job('dredge'))!.state === 'waiting') {
      await hasten();
      await runDueJobs(inside.deps, kinds);
    }
    expect(tries).toBe(MOST_ATTEMPTS);
    expect(await job('dredge')).toMatchObject({ state: 'failed', last_error: 'RangeError' });
  });

  it('of a kind that a newer release brought is left for a node of that release', async () => {
    await requestJob(inside.deps, db, 'of-tomorrow');
    await runDueJobs(inside.deps, {});
    expect(await job('of-tomorrow')).toMatchObject({ state: 'waiting' });
    await write(db, "DELETE FROM jobs WHERE kind = 'of-tomorrow'");
  });

  it('asked for again while it runs is run once more; one that recurs has one row however many nodes ask', async () => {
    let runs = 0;
    const kinds: JobKinds = {
      sound: {
        run: async (deps) => {
          if (runs++ === 0) await requestJob(deps, db, 'sound', { singleton: 'sound' });
          return 'sounded';
        },
      },
      tide: { everySeconds: 60, run: async () => 'read' },
    };
    await requestJob(inside.deps, db, 'sound', { singleton: 'sound' });
    await runDueJobs(inside.deps, kinds);
    await hasten();
    await runDueJobs(inside.deps, kinds);
    expect(runs).toBe(2);
    await Promise.all([1, 2, 3].map(async () => await requestRecurringJobs(inside.deps, kinds)));
    expect(await select(db, "SELECT state FROM jobs WHERE kind = 'tide'")).toHaveLength(1);
  });
});

describe('housekeeping', () => {
  const run = async (kind: string) =>
    await (await served()).jobs[kind]!.run(inside.deps, { payload: {}, progress: async () => undefined });

  it('marks sign-ins that nobody finished as expired, in the row and in its story', async () => {
    const begun = (minutesAgo: number) => ({
      id: idBytes(newId(inside.deps)),
      applicationId: Buffer.alloc(16, 1),
      state: 'asking',
      data: JSON.stringify({ state: 'asking', asks: 'factor' }),
      claims: '',
      ignoredClaims: '',
      begunAt: new Date(Date.now() - minutesAgo * 60_000),
    });
    await carryOut(db, insertion('sign_ins', begun(7)));
    await carryOut(db, insertion('sign_ins', begun(1)));
    expect(await run('expire-sign-ins')).toBe('1 marked');
    const rows = await select<{ state: string; data: string }>(
      db,
      'SELECT state, data FROM sign_ins ORDER BY begun_at',
    );
    expect(rows.map((row) => [row.state, (JSON.parse(row.data) as { state: string }).state])).toEqual([
      ['expired', 'expired'],
      ['asking', 'asking'],
    ]);
  });

  it('clears what has run out and nothing else; keeps months ahead and drops what is past keeping', async () => {
    for (const [n, hours] of [
      [1, -1],
      [2, 1],
    ] as const)
      await carryOut(
        db,
        insertion('outcomes', {
          id: Buffer.alloc(32, n),
          request: Buffer.alloc(32),
          sealed: Buffer.alloc(40),
          expiresAt: new Date(Date.now() + hours * 3_600_000),
        }),
      );
    expect(await run('sweep')).toBe('1 rows cleared');
    expect(await select<{ id: Buffer }>(db, 'SELECT id FROM outcomes')).toMatchObject([{ id: Buffer.alloc(32, 2) }]);
    await write(db, 'ALTER TABLE sign_ins DROP PARTITION later');
    await write(db, 'ALTER TABLE sign_ins ADD PARTITION (PARTITION later VALUES LESS THAN (MAXVALUE))');
    // Months may have gone by since it was set up: one, where this runs on their last evening.
    await run('keep-partitions');
    expect(await run('keep-partitions')).toBe('0 months added, 0 dropped');
    const inTwoMonths = new Date();
    inTwoMonths.setUTCMonth(inTwoMonths.getUTCMonth() + 2, 1);
    const later = { ...inside.deps, now: () => inTwoMonths };
    const said = await (
      await served()
    ).jobs['keep-partitions']!.run(later, { payload: {}, progress: async () => undefined });
    expect(said).toBe('2 months added, 0 dropped');
  });
});
