import { uuidV7Floor } from '@nimble-latch/core/crypto';
import { SIGN_IN_STATES, type SignInState } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { select, selectOne, write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';

/**
 * Sign-ins by hour and outcome. An hour that is over never changes again once its last sign-in has run out, so it is
 * counted once and kept; only what came after is counted when somebody looks.
 */

export const HOUR_MS = 3_600_000;
/** How far back hours are kept. */
const KEPT_HOURS = 62 * 24;
/** After its end an hour still has sign-ins that ask, until they are marked expired; then it stands. */
const SETTLES_MS = 15 * 60_000;
/** A sign-in that still asks after this time has been given up, whether or not that was written down yet. */
const GIVEN_UP_MS = 5 * 60_000;
/** Hours counted in one statement. */
const STRETCH = 24;

export interface HourCount {
  /** Hours since 1970. */
  readonly hour: number;
  readonly state: SignInState;
  readonly n: number;
}

/** Counts sign-ins that began in [from, to), each outcome along its own index range: the moment is in the id. */
async function countLive(deps: Deps, from: number, to: number, now: Date): Promise<HourCount[]> {
  if (from >= to) return [];
  const rows = await select<{ state: SignInState; hour: number; n: number }>(
    deps,
    `SELECT IF(state = 'asking' AND id < :fresh, 'expired', state) AS state,
       FLOOR(CONV(HEX(LEFT(id, 6)), 16, 10) / ${HOUR_MS}) AS hour, COUNT(*) AS n
     FROM sign_ins FORCE INDEX (sign_ins_state) WHERE state IN (:states) AND id >= :from AND id < :to GROUP BY 1, 2`,
    {
      states: SIGN_IN_STATES,
      from: uuidV7Floor(from),
      to: uuidV7Floor(to),
      fresh: uuidV7Floor(now.getTime() - GIVEN_UP_MS),
    },
  );
  return rows.map((row) => ({ state: row.state, hour: Number(row.hour), n: Number(row.n) }));
}

export async function lastKept(deps: Deps): Promise<number | undefined> {
  const row = await selectOne<{ hour: number | null }>(deps, 'SELECT MAX(hour) AS hour FROM sign_in_hours');
  return row?.hour == null ? undefined : Number(row.hour);
}

/** The job: counts every hour that has settled since the last run, and forgets the oldest. */
export async function keepSignInHours(deps: Deps): Promise<string> {
  const now = deps.now();
  const settled = Math.floor((now.getTime() - SETTLES_MS) / HOUR_MS) - 1;
  const oldest = settled - KEPT_HOURS + 1;
  let next = Math.max(((await lastKept(deps)) ?? -1) + 1, oldest);
  let kept = 0;
  while (next <= settled) {
    const to = Math.min(next + STRETCH - 1, settled);
    const counts = await countLive(deps, next * HOUR_MS, (to + 1) * HOUR_MS, now);
    await inTransaction(deps, async (work) => {
      // The last hour of the stretch stands for all of it, also where nobody signed in.
      const rows = [...counts, { hour: to, state: 'none', n: 0 }].map((row) => ({ ...row }));
      await write(work, 'DELETE FROM sign_in_hours WHERE hour BETWEEN :next AND :to', { next, to });
      await insertAll(work, 'sign_in_hours', rows);
    });
    kept += to - next + 1;
    next = to + 1;
  }
  await write(deps, 'DELETE FROM sign_in_hours WHERE hour < :oldest', { oldest });
  return `${kept} hours counted`;
}

/** Every sign-in that began at this moment or later, by hour and outcome. */
export const signInHours = async (deps: Deps, from: number, now: Date): Promise<HourCount[]> =>
  await countedAfter(deps, from, now, await lastKept(deps));

/** @param last the last hour that is taken as it was kept; what has been kept since is counted with what came after */
export async function countedAfter(
  deps: Deps,
  from: number,
  now: Date,
  last: number | undefined,
): Promise<HourCount[]> {
  const first = Math.ceil(from / HOUR_MS);
  const end = now.getTime() + HOUR_MS;
  if (last === undefined || last < first) return await countLive(deps, from, end, now);
  const [before, kept, after] = await Promise.all([
    countLive(deps, from, first * HOUR_MS, now),
    select<{ hour: number; state: SignInState; n: number }>(
      deps,
      'SELECT hour, state, n FROM sign_in_hours WHERE hour BETWEEN :first AND :last AND n > 0',
      { first, last },
    ),
    countLive(deps, (last + 1) * HOUR_MS, end, now),
  ]);
  return [...before, ...kept, ...after];
}
