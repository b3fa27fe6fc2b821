import { FORGOTTEN_AFTER_DAYS, UNLOCK_AT } from '@nimble-latch/core/throttle';
import { Counter } from 'prom-client';
import { area } from '../../platform/area.js';
import { decoyGuards } from './decoy-guard.model.js';
import { familiarSources } from './familiar-source.model.js';
import { signInJudgements } from './sign-in-judgement.model.js';
import { signIns } from './sign-in.model.js';
import { sourceFailures } from './source-failure.model.js';
import { spentRequests } from './spent-request.model.js';

/** Sign-ins: begun, proved, told; their guards and their activity. */
export const signinsArea = area({
  name: 'signins',
  tables: [decoyGuards, familiarSources, signInJudgements, signIns, sourceFailures, spentRequests],
  provides: ({ metrics }) => ({
    signInsEnded: new Counter({
      name: 'nlatch_sign_ins_total',
      help: 'Sign-ins that ended, by state and reason',
      labelNames: ['state', 'reason'] as const,
      registers: [metrics.registry],
    }),
  }),
  sweeps: [
    { table: 'spent_requests', when: 'expires_at < UTC_TIMESTAMP(3)' },
    // Not before the failures of somebody real are forgotten as well, and never where somebody real would need an unlock.
    {
      table: 'decoy_guards',
      when: `failures < ${UNLOCK_AT} AND touched_at < UTC_TIMESTAMP(3) - INTERVAL ${FORGOTTEN_AFTER_DAYS + 1} DAY`,
    },
    { table: 'source_failures', when: 'window_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY' },
    { table: 'familiar_sources', when: 'last_at < UTC_TIMESTAMP(3) - INTERVAL 180 DAY' },
  ],
  serves: async () => {
    const { expireSignIns, keepPartitions } = await import('./partitions.js');
    const { signInHandlers } = await import('./routes.js');
    return {
      handlers: signInHandlers,
      jobs: {
        'keep-partitions': { everySeconds: 3600, run: keepPartitions },
        'expire-sign-ins': { everySeconds: 60, run: expireSignIns },
      },
    };
  },
});

declare module '../../platform/deps.js' {
  interface Deps {
    /** Counts sign-ins that ended. */
    readonly signInsEnded: Counter<'state' | 'reason'>;
  }
}
