import { defineConfig } from 'vitest/config';

/** Workspace packages are read from their sources; only programs that tests start as processes come from the build. */
const resolve = { conditions: ['nimble-latch-source', 'import', 'module', 'default'] };
const ssr = {
  resolve: {
    conditions: ['nimble-latch-source', 'import', 'module', 'default'],
    externalConditions: ['import', 'default'],
  },
};

export default defineConfig({
  test: {
    // One more than the cores that this must be quick on: tests wait for pauses, leases and disks as much as they compute.
    maxWorkers: 3,
    projects: [
      { resolve, ssr, test: { name: 'core', include: ['packages/{api,core,cli,console,standins}/src/**/*.test.ts'] } },
      {
        resolve,
        ssr,
        test: {
          name: 'service',
          include: ['packages/service/src/**/*.test.ts', 'e2e/**/*.test.ts'],
          globalSetup: ['e2e/support/one-server.ts'],
          testTimeout: 90_000,
          hookTimeout: 90_000,
        },
      },
    ],
  },
});
