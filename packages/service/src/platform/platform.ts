import { area } from './area.js';
import { schemaLock } from './db/schema-lock.model.js';
import { schemaMigrations } from './db/schema-migration.model.js';
import { outbox } from './delivery/outbox.model.js';
import { outcomes } from './http/outcome.model.js';
import { jobs } from './jobs/job.model.js';
import { beat } from './jobs/node-heartbeat.js';
import { nodes } from './jobs/node.model.js';
import { keySet } from './secrets/key-set.model.js';
import { abandonedWriters, sealUpTo } from './trail/sealer.js';
import { trailEntries } from './trail/trail-entry.model.js';
import { trailSeals } from './trail/trail-seal.model.js';

/** What the ground floor keeps and does for itself, whatever areas stand on it. */
export const platform = area({
  name: 'platform',
  tables: [jobs, keySet, nodes, outbox, outcomes, schemaLock, schemaMigrations, trailEntries, trailSeals],
  sweeps: [
    { table: 'outcomes', when: 'expires_at < UTC_TIMESTAMP(3)' },
    { table: 'outbox', when: "state = 'failed' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY" },
    { table: 'jobs', when: "singleton IS NULL AND state = 'done' AND run_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY" },
  ],
  serves: async () =>
    await Promise.resolve({
      loops: [
        {
          name: 'heartbeat',
          everyMs: 5_000,
          rounds: (deps) => {
            const startedAt = deps.now();
            return async () => {
              await beat(deps, startedAt);
              await deps.keys.reload();
            };
          },
        },
        {
          name: 'seal',
          everyMs: 1_000,
          rounds: (deps) => async () => {
            const count = await sealUpTo(deps, deps.trail.id, deps.trail.settledUpTo());
            if (count > 0) deps.metrics.sealed.inc(count);
          },
        },
        {
          name: 'seal-abandoned',
          everyMs: 30_000,
          rounds: (deps) => async () => {
            for (const { writer, to } of await abandonedWriters(deps)) await sealUpTo(deps, writer, to);
          },
        },
      ],
    }),
});
