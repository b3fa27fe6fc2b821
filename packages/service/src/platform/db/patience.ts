import { setTimeout as delay } from 'node:timers/promises';
import type { Logger } from 'pino';
import { isUnavailable } from './errors.js';

/** How long a node that starts waits for a database that has fallen silent, and how often it asks. */
const PATIENCE_MS = 30_000;
const AGAIN_MS = 500;

/**
 * Does a step of a start, again and again while the database is away, as a running node would live through it. A step may be done twice.
 *
 * @throws what the step throws: at once where the database is not to blame, else when patience has ended
 */
export async function patiently<T>(log: Logger, step: () => Promise<T>, patienceMs = PATIENCE_MS): Promise<T> {
  const until = Date.now() + patienceMs;
  for (let told = false; ;) {
    try {
      return await step();
    } catch (error) {
      if (!isUnavailable(error) || Date.now() + AGAIN_MS > until) throw error;
      if (!told) log.warn({ error }, 'the database does not answer while this node starts; it is asked again');
      told = true;
    }
    await delay(AGAIN_MS);
  }
}
