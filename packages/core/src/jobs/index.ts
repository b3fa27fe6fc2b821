/** How long to wait before a failed piece of background work is tried again: 5 s, doubling, at most an hour. */
export function retryDelayMs(attempts: number): number {
  return Math.min(3_600_000, 5_000 * 2 ** Math.min(16, Math.max(0, attempts - 1)));
}

/** Tries before work that keeps failing is put aside for somebody to look at. */
export const MOST_ATTEMPTS = 12;
