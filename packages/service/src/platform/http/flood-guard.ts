import { LRUCache } from 'lru-cache';
import { Refusal } from '../errors.js';
import { sourcePrefix } from './source.js';

/** Calls that anybody may make, from one source prefix, in one minute: each may cost a row or a password hash. */
const CALLS_PER_MINUTE = 300;
/**
 * The same of our sign-in pages, where everybody in a house may come from one address at eight in the morning, with five
 * calls each. Guesses have budgets of their own; how many passwords are hashed at a time is bounded besides.
 */
export const PAGE_CALLS_PER_MINUTE = 6_000;
/** Counted at a time; of more, those heard longest ago are forgotten, and not those that call all the time. */
const PREFIXES = 20_000;

/** Counts calls of people who are not signed in, for each source prefix, in this process only. */
export class FloodGuard {
  readonly #counts = new LRUCache<string, number>({ max: PREFIXES });

  /**
   * Counts a call. Throws `throttled` where there were too many.
   *
   * @param most calls in a minute; what has another bound is counted apart
   */
  assertCalm(address: string, now: Date, most = CALLS_PER_MINUTE): void {
    const minute = Math.floor(now.getTime() / 60_000);
    const prefix = `${minute} ${most} ${sourcePrefix(address)}`;
    const count = (this.#counts.get(prefix) ?? 0) + 1;
    this.#counts.set(prefix, count);
    if (count > most) throw new Refusal('throttled', { seconds: 60 });
  }
}
