import { Refusal } from '../errors.js';
import { sourcePrefix } from '../signins/source.js';

/** Calls that anybody may make, from one source prefix, in one minute: each may cost a row or a password hash. */
const CALLS_PER_MINUTE = 300;
const PREFIXES = 20_000;

/** Counts calls of people who are not signed in, for each source prefix, in this process only. */
export class FloodGuard {
  #minute = 0;
  readonly #counts = new Map<string, number>();

  assertCalm(address: string, now: Date): void {
    const minute = Math.floor(now.getTime() / 60_000);
    if (minute !== this.#minute || this.#counts.size > PREFIXES) {
      this.#minute = minute;
      this.#counts.clear();
    }
    const prefix = sourcePrefix(address);
    const count = (this.#counts.get(prefix) ?? 0) + 1;
    this.#counts.set(prefix, count);
    if (count > CALLS_PER_MINUTE) throw new Refusal('throttled', { seconds: 60 });
  }
}
