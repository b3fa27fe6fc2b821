import { isDeepStrictEqual } from 'node:util';
import type { Answer } from '@nimble-latch/api';
import type { JobState } from '@nimble-latch/core/vocabulary';
import { NEXT_VERSION } from '../../platform/db/models.js';
import { select, selectOne } from '../../platform/db/sql.js';
import { closeOvertaken, countersigned, type AskingCall } from '../access/countersign.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, PermissionRefusal, Refusal } from '../../platform/errors.js';
import { isCountry } from '@nimble-latch/core/tables';
import { entryOf } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { showOverview, showWaiting } from './overview.js';
import { FIRST_SETTINGS, readSettings, type Settings } from './settings-cache.js';
import { storedSettings } from './settings.model.js';
import { streamActivity } from './live.js';
import { exportTrail, listTrail, showTrail } from './trail-list.js';
import { nameOf } from '../../platform/db/members.js';

/** What needs a countersignature is the owners' to say, and itself needs one. */
async function assertMayChangeSigning(
  deps: Deps,
  work: Work,
  call: AskingCall & { readonly body: Settings },
): Promise<void> {
  const { countersign } = (await readSettings(work, work.transaction.LOCK.UPDATE)).settings;
  const next = call.body.countersign;
  if (isDeepStrictEqual(next, countersign)) return;
  if (!call.actor.rights.has('role.write')) throw new PermissionRefusal(call.actor, 'role.write', 'owners-only');
  await countersigned(deps, work, call, {
    action: 'role-change',
    permission: 'role.write',
    person: null,
    consequence: {
      what: 'signing-changed',
      facts: { actions: next.actions.join(' '), wait: next.waitMinutes, keep: next.keepHours },
    },
    bound: { before: { ...countersign }, next: { ...next } },
    ground: 'signing',
  });
  await closeOvertaken(work, 'signing');
}

const editSettings: Handler<'settings.edit'> = async (deps, call) => {
  const reply = await call.run(async (work) => {
    await assertMayChangeSigning(deps, work, call);
    const { country } = call.body;
    if (country !== null && !isCountry(country)) throw badField('body.country', 'country');
    // The first change makes the row; both forms are conditional on the version that was seen.
    const { transaction } = work;
    await storedSettings(work).bulkCreate([{ id: 1, data: FIRST_SETTINGS }], { ignoreDuplicates: true, transaction });
    const [changed] = await storedSettings(work).update(
      { data: call.body, version: NEXT_VERSION },
      { where: { id: 1, version: call.ifMatch! }, transaction },
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
  await Promise.all([deps.keys.reload(), deps.pulse.askAll()]);
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
      writer: idText(row.id),
      host: row.host,
      startedAt: row.started_at.toISOString(),
      seenAt: row.seen_at.toISOString(),
      clockOffMs: row.clock_off_ms,
    })),
    databases: deps.pulse.members.map(({ member, inUse, standing: { state, cluster, why } }) => ({
      address: nameOf(member),
      state,
      used: inUse,
      cluster: cluster ? { doing: cluster.state, members: cluster.size, waiting: cluster.waiting } : null,
      why: why ?? null,
    })),
    jobs: jobs.map((row) => ({
      id: idText(row.id),
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
  | 'trail.list'
  | 'trail.show'
  | 'trail.export'
  | 'activity.stream'
  | 'overview.show'
  | 'overview.waiting'
  | 'settings.show'
  | 'settings.edit'
  | 'system.show'
  | 'system.metrics'
> = {
  'trail.list': listTrail,
  'trail.show': showTrail,
  'trail.export': exportTrail,
  'activity.stream': streamActivity,
  'overview.show': showOverview,
  'overview.waiting': showWaiting,
  'settings.show': async (deps) => {
    deps.settings.forget();
    const { settings, version } = await deps.settings.current();
    return { answer: { settings, version }, version };
  },
  'settings.edit': editSettings,
  'system.show': showSystem,
  'system.metrics': async (deps) => {
    deps.metrics.unsealed.set(await unsealedCount(deps));
    for (const { member, inUse, standing } of deps.pulse.members) {
      const labels = { member: nameOf(member) };
      deps.metrics.databaseServes.set(labels, standing.state === 'serves' ? 1 : 0);
      deps.metrics.databaseUsed.set(labels, inUse ? 1 : 0);
      deps.metrics.databaseWaiting.set(labels, standing.cluster?.waiting ?? 0);
    }
    deps.metrics.databaseMoves.set(deps.pulse.moves);
    return { answer: await deps.metrics.registry.metrics() };
  },
};
