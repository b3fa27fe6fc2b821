import { defineConfig } from 'vitest/config';
import { BaseSequencer, type TestSpecification } from 'vitest/node';

/** Workspace packages are read from their sources; only programs that tests start as processes come from the build. */
const resolve = { conditions: ['nimble-latch-source', 'import', 'module', 'default'] };
const ssr = {
  resolve: {
    conditions: ['nimble-latch-source', 'import', 'module', 'default'],
    externalConditions: ['import', 'default'],
  },
};

/** Those that take minutes, most of them in waiting: begun last, each would be waited for alone. */
const LONG = ['e2e/outage', 'e2e/operations', 'e2e/console', 'e2e/contract', 'e2e/imports', 'e2e/access', 'e2e/keys.'];
class LongFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const rank = ({ moduleId }: TestSpecification) => {
      const at = LONG.findIndex((name) => moduleId.includes(name));
      return at < 0 ? LONG.length : at;
    };
    return (await super.sort(files)).sort((a, b) => rank(a) - rank(b));
  }
}

export default defineConfig({
  test: {
    // Twice the cores that this must be quick on: tests wait for pauses, leases and disks as much as they compute.
    maxWorkers: 4,
    sequence: { sequencer: LongFirst },
    projects: [
      {
        resolve,
        ssr,
        test: {
          name: 'core',
          include: ['packages/{api,core,cli,console,pocket,standins}/src/**/*.test.{ts,tsx}'],
          // Far above what any of them takes: how quick something is, the benchmark says.
          testTimeout: 60_000,
        },
      },
      {
        resolve,
        ssr,
        test: {
          name: 'service',
          include: ['packages/service/src/**/*.test.ts', 'e2e/**/*.test.ts'],
          globalSetup: ['e2e/support/one-server.ts'],
          // Files of one worker share what they import, a fifth of all their work: none of them mocks a module or leaves one changed.
          isolate: false,
          // Some start a dozen processes: on a machine that is busy with others, each takes seconds to come up.
          testTimeout: 300_000,
          // A page or a node that is slow today is no failure; one that never comes to it is.
          expect: { poll: { timeout: 60_000 } },
          hookTimeout: 300_000,
        },
      },
    ],
  },
});
