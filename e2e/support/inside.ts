import type { Deps } from '../../packages/service/src/platform/deps.js';
import { readConfig } from '../../packages/service/src/platform/config.js';
import { closeRuntime, openRuntime } from '../../packages/service/src/host/runtime.js';
import { Installation } from './installation.js';

/** What a service is made of, opened inside the test's own process on a database of its own. */
export interface Inside {
  readonly deps: Deps;
  readonly installation: Installation;
  /** The same database as another process would see it. */
  another(): Promise<Deps>;
  close(): Promise<void>;
}

export async function openInside(): Promise<Inside> {
  const installation = await Installation.prepare({ NLATCH_LOG_LEVEL: 'silent' });
  // Who looks inside counts runs: faults are for nodes.
  const { NLATCH_TEST_FAULTS: _, ...env } = await installation.environment();
  const open = async () => await openRuntime(readConfig(env));
  const all = [await open()];
  return {
    deps: all[0]!,
    installation,
    async another() {
      const deps = await open();
      all.push(deps);
      return deps;
    },
    async close() {
      await Promise.all(all.map(closeRuntime));
      await installation.stop();
    },
  };
}
