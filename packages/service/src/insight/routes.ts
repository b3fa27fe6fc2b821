import type { Answer } from '@nimble-latch/api';
import { UNLOCK_AT } from '@nimble-latch/core/throttle';
import { uuidV7Floor } from '@nimble-latch/core/crypto';
import type { JobState, SignInState } from '@nimble-latch/core/vocabulary';
import { select, selectOne, write } from '../db/sql.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { AreaHandlers, Handler } from '../http/call.js';
import { text } from '../ids.js';
import { FIRST_SETTINGS } from './settings-cache.js';
import { listTrail } from './trail-list.js';

const showOverview: Handler<'overview.show'> = async (deps) => {
  const now = deps.now();
  const [people, signIns, throttled, applications] = await Promise.all([
    selectOne<Record<'people' | 'deactivated' | 'with_factor' | 'password_only', number | null>>(
      deps,
      `SELECT COUNT(*) AS people, SUM(p.state = 'deactivated') AS deactivated, SUM(p.state = 'active' AND COALESCE(h.factors, 0) > 0) AS with_factor,
         SUM(p.state = 'active' AND COALESCE(h.factors, 0) = 0 AND COALESCE(h.passwords, 0) > 0) AS password_only
       FROM persons p LEFT JOIN (SELECT person_id, SUM(method <> 'password') AS factors, SUM(method = 'password') AS passwords
         FROM authenticators WHERE state = 'active' GROUP BY person_id) h ON h.person_id = p.id`,
    ),
    select<{ state: SignInState; n: number }>(
      deps,
      "SELECT IF(state = 'asking' AND id < :fresh, 'expired', state) AS state, COUNT(*) AS n FROM sign_ins WHERE id >= :since GROUP BY 1",
      { since: uuidV7Floor(now.getTime() - 24 * 3_600_000), fresh: uuidV7Floor(now.getTime() - 5 * 60_000) },
    ),
    selectOne<{ n: number }>(
      deps,
      `SELECT COUNT(*) AS n FROM authenticators WHERE state = 'active' AND (familiar_paused_until > :now OR stranger_paused_until > :now
         OR familiar_failures >= :unlockAt OR stranger_failures >= :unlockAt)`,
      { now, unlockAt: UNLOCK_AT },
    ),
    selectOne<{ n: number }>(deps, 'SELECT COUNT(*) AS n FROM applications WHERE built_in = 0'),
  ]);
  const count = (name: 'people' | 'deactivated' | 'with_factor' | 'password_only') => Number(people?.[name] ?? 0);
  return {
    answer: {
      people: count('people'),
      deactivated: count('deactivated'),
      withFactor: count('with_factor'),
      passwordOnly: count('password_only'),
      withNothing: count('people') - count('deactivated') - count('with_factor') - count('password_only'),
      applications: Number(applications?.n ?? 0),
      signInsLastDay: Object.fromEntries(signIns.map((row) => [row.state, Number(row.n)])),
      throttled: Number(throttled?.n ?? 0),
    },
  };
};

const editSettings: Handler<'settings.edit'> = async (deps, call) => {
  const reply = await call.run(async (work) => {
    // The first change makes the row; both forms are conditional on the version that was seen.
    await write(work, 'INSERT IGNORE INTO settings (id, data, version) VALUES (1, :data, 1)', {
      data: JSON.stringify(FIRST_SETTINGS),
    });
    const changed = await write(
      work,
      'UPDATE settings SET data = :data, version = version + 1 WHERE id = 1 AND version = :version',
      {
        data: JSON.stringify(call.body),
        version: call.ifMatch!,
      },
    );
    if (changed !== 1) throw new Refusal('changed-meanwhile');
    await work.trail(entryOf(call, 'setting.changed', { kind: 'setting', id: null }, { details: { now: call.body } }));
    const version = call.ifMatch! + 1;
    return { answer: { settings: call.body, version }, version };
  });
  deps.settings.forget();
  return reply;
};

const showSystem: Handler<'system.show'> = async (deps) => {
  await deps.keys.reload();
  const [nodes, jobs, outbox, seal] = await Promise.all([
    select<{ id: Buffer; host: string; started_at: Date; seen_at: Date; clock_off_ms: number }>(
      deps,
      'SELECT id, host, started_at, seen_at, clock_off_ms FROM nodes WHERE seen_at > UTC_TIMESTAMP(3) - INTERVAL 2 MINUTE ORDER BY started_at',
    ),
    select<{
      id: Buffer;
      kind: string;
      state: JobState;
      run_at: Date;
      progress: string;
      attempts: number;
      last_error: string | null;
    }>(deps, 'SELECT id, kind, state, run_at, progress, attempts, last_error FROM jobs ORDER BY run_at DESC LIMIT 100'),
    selectOne<{ waiting: number | null; failed: number | null }>(
      deps,
      "SELECT SUM(state <> 'failed') AS waiting, SUM(state = 'failed') AS failed FROM outbox",
    ),
    selectOne<{ at: Date | null }>(deps, 'SELECT MAX(sealed_at) AS at FROM trail_seals'),
  ]);
  const answer: Answer<'system.show'> = {
    version: deps.version,
    nodes: nodes.map((row) => ({
      writer: text(row.id),
      host: row.host,
      startedAt: row.started_at.toISOString(),
      seenAt: row.seen_at.toISOString(),
      clockOffMs: row.clock_off_ms,
    })),
    jobs: jobs.map((row) => ({
      id: text(row.id),
      kind: row.kind,
      state: row.state,
      runAt: row.run_at.toISOString(),
      progress: row.progress,
      attempts: row.attempts,
      lastError: row.last_error,
    })),
    outbox: { waiting: Number(outbox?.waiting ?? 0), failed: Number(outbox?.failed ?? 0) },
    keys: deps.keys
      .list()
      .map(({ id, purpose, state, createdAt }) => ({ id, purpose, state, createdAt: createdAt.toISOString() })),
    trail: { unsealed: await unsealedCount(deps), lastSealAt: seal?.at?.toISOString() ?? null },
  };
  return { answer };
};

async function unsealedCount(deps: Parameters<Handler<'system.show'>>[0]): Promise<number> {
  const row = await selectOne<{ n: number }>(
    deps,
    `SELECT COUNT(*) AS n FROM trail_entries e LEFT JOIN (SELECT writer, MAX(to_number) AS upto FROM trail_seals GROUP BY writer) s ON s.writer = e.writer
     WHERE e.number > COALESCE(s.upto, 0) AND e.at > UTC_TIMESTAMP(3) - INTERVAL 1 DAY`,
  );
  return Number(row?.n ?? 0);
}

export const insightHandlers: AreaHandlers<
  'trail.list' | 'overview.show' | 'settings.show' | 'settings.edit' | 'system.show' | 'system.metrics'
> = {
  'trail.list': listTrail,
  'overview.show': showOverview,
  'settings.show': async (deps) => {
    deps.settings.forget();
    const { settings, version } = await deps.settings.current();
    return { answer: { settings, version }, version };
  },
  'settings.edit': editSettings,
  'system.show': showSystem,
  'system.metrics': async (deps) => {
    deps.metrics.unsealed.set(await unsealedCount(deps));
    return { answer: await deps.metrics.registry.metrics() };
  },
};
