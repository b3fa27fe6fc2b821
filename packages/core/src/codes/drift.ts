/** Steps by which a learned drift moves at most between two proofs, however long ago the last one was. */
const MOST_MOVED = 10;

/**
 * The drift to note after a code was accepted: what it shows, but no further from what was known than a clock can have
 * moved. A device that is further off is found again by two codes, never by a window that creeps after it.
 */
export function learnedDrift(known: number, shown: number): number {
  return Math.max(known - MOST_MOVED, Math.min(known + MOST_MOVED, shown));
}
