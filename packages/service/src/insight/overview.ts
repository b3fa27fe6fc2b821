import type { Answer } from '@nimble-latch/api';
import { uuidV7Floor } from '@nimble-latch/core/crypto';
import { UNLOCK_AT } from '@nimble-latch/core/throttle';
import type { Method, SignInState } from '@nimble-latch/core/vocabulary';
import { select, selectOne } from '../db/sql.js';
import type { Deps } from '../deps.js';
import type { Handler } from '../http/call.js';
import { text } from '../ids.js';
import { countPeople } from '../people/counts.js';

const DAY_MS = 86_400_000;
const DAYS = 30;
/** A sign-in that still asks after this time has been given up, whether or not that was written down yet. */
const GIVEN_UP_MS = 5 * 60_000;

type Counts = Answer<'overview.show'>['signInsLastDay'];

/** Sign-ins of some time by day and outcome, along the index of outcomes: the day is in the id. */
async function signInDays(deps: Deps, now: Date): Promise<Answer<'overview.show'>['signInDays']> {
  const today = Math.floor(now.getTime() / DAY_MS);
  const rows = await select<{ state: SignInState; day: number; n: number }>(
    deps,
    `SELECT IF(state = 'asking' AND id < :fresh, 'expired', state) AS state,
       FLOOR(CONV(HEX(LEFT(id, 6)), 16, 10) / ${DAY_MS}) AS day, COUNT(*) AS n
     FROM sign_ins FORCE INDEX (sign_ins_state) WHERE id >= :since GROUP BY 1, 2`,
    { since: uuidV7Floor((today - DAYS + 1) * DAY_MS), fresh: uuidV7Floor(now.getTime() - GIVEN_UP_MS) },
  );
  return Array.from({ length: DAYS }, (_, i) => {
    const day = today - DAYS + 1 + i;
    const signIns: Counts = {};
    for (const row of rows) if (Number(row.day) === day) signIns[row.state] = Number(row.n);
    return { day: new Date(day * DAY_MS).toISOString().slice(0, 10), signIns };
  });
}

async function signInsLastDay(deps: Deps, now: Date): Promise<Counts> {
  const rows = await select<{ state: SignInState; n: number }>(
    deps,
    "SELECT IF(state = 'asking' AND id < :fresh, 'expired', state) AS state, COUNT(*) AS n FROM sign_ins WHERE id >= :since GROUP BY 1",
    { since: uuidV7Floor(now.getTime() - DAY_MS), fresh: uuidV7Floor(now.getTime() - GIVEN_UP_MS) },
  );
  return Object.fromEntries(rows.map((row) => [row.state, Number(row.n)]));
}

async function needsHand(deps: Deps, now: Date): Promise<Answer<'overview.show'>['needsHand']> {
  const rows = await select<{
    id: Buffer;
    display_name: string;
    method: Method;
    locked: number;
    until: Date | null;
  }>(
    deps,
    `SELECT p.id, p.display_name, a.method, GREATEST(a.familiar_failures, a.stranger_failures) >= :unlockAt AS locked,
       GREATEST(COALESCE(a.familiar_paused_until, '1970-01-01'), COALESCE(a.stranger_paused_until, '1970-01-01')) AS until
     FROM authenticators a JOIN persons p ON p.id = a.person_id
     WHERE (a.familiar_paused_until IS NOT NULL OR a.stranger_paused_until IS NOT NULL) AND a.state = 'active' AND p.state = 'active'
     HAVING locked OR until > :now ORDER BY locked DESC, until DESC LIMIT 20`,
    { now, unlockAt: UNLOCK_AT },
  );
  return rows.map((row) => ({
    person: { id: text(row.id), displayName: row.display_name },
    why: row.locked ? ('locked' as const) : ('paused' as const),
    method: row.method,
    until: row.locked ? null : (row.until?.toISOString() ?? null),
  }));
}

export const showOverview: Handler<'overview.show'> = async (deps) => {
  const now = deps.now();
  const [counts, lastDay, days, hand, applications] = await Promise.all([
    countPeople(deps),
    signInsLastDay(deps, now),
    signInDays(deps, now),
    needsHand(deps, now),
    selectOne<{ n: number }>(deps, 'SELECT COUNT(*) AS n FROM applications WHERE built_in = 0'),
  ]);
  const covered = (coverage: string) => counts.coverage[coverage] ?? 0;
  return {
    answer: {
      people: counts.people,
      deactivated: counts.state['deactivated'] ?? 0,
      coverage: {
        nothing: covered('nothing'),
        weak: covered('weak'),
        'two-factors': covered('two-factors'),
        'phishing-resistant': covered('phishing-resistant'),
      },
      countedAt: counts.countedAt,
      applications: Number(applications?.n ?? 0),
      signInsLastDay: lastDay,
      signInDays: days,
      needsHand: hand,
    },
  };
};
