/**
 * How wrong proofs slow down the next ones. One guard counts for one authenticator in one lane: `familiar` for sources
 * from which its person has succeeded before, `stranger` for all others, so that a stranger cannot shut anybody out.
 */

/** Wrong proofs in a row that cost nothing but the attempt. */
export const FREE_FAILURES = 5;
/** NIST SP 800-63B-4 §3.2.2: no more than 100 consecutive failures on one account. */
export const UNLOCK_AT = 100;
const FIRST_PAUSE_MS = 30_000;
const LONGEST_PAUSE_MS = 15 * 60_000;

export const LANES = ['familiar', 'stranger'] as const;
export type Lane = (typeof LANES)[number];

/**
 * Failures are forgotten when no other came for so long; not so many that an unlock is needed. People and decoys alike: an unknown name
 * must not be told from a known one by what old failures still mean.
 */
export const FORGOTTEN_AFTER_DAYS = 90;

/** Failures in a row, and until when attempts are turned away (milliseconds since 1970): the moment of the last one where that cost no pause. */
export interface Guard {
  readonly failures: number;
  readonly pausedUntil: number | undefined;
}

/**
 * How long the pause is after so many failures in a row: none below 5, then 30 s, doubling to 15 minutes.
 */
export function pauseAfter(failures: number): number {
  if (failures < FREE_FAILURES) return 0;
  // The exponent is bounded before it is raised, or a large count would overflow into Infinity.
  return Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** Math.min(10, failures - FREE_FAILURES));
}

/** What still counts of a guard now. */
const standing = (guard: Guard, nowMs: number): Guard =>
  guard.failures < UNLOCK_AT &&
  guard.pausedUntil !== undefined &&
  nowMs - guard.pausedUntil > FORGOTTEN_AFTER_DAYS * 86_400_000
    ? CLEAR
    : guard;

/** What a guard says of an attempt now. */
export function admit(
  guard: Guard,
  nowMs: number,
): { admitted: true } | { admitted: false; why: 'throttled' | 'needs-unlock'; until?: number } {
  if (guard.failures >= UNLOCK_AT) return { admitted: false, why: 'needs-unlock' };
  // What cost no pause turns nobody away: another node's clock, or an attempt that began a moment before, may be behind it.
  if (pauseAfter(guard.failures) > 0 && guard.pausedUntil !== undefined && guard.pausedUntil > nowMs)
    return { admitted: false, why: 'throttled', until: guard.pausedUntil };
  return { admitted: true };
}

/**
 * The guard while an attempt is under way: it counts as failed until it has proved right, so that parallel
 * guesses each find the failure of the others.
 */
export function reserve(guard: Guard, nowMs: number): Guard {
  const failures = standing(guard, nowMs).failures + 1;
  return { failures, pausedUntil: nowMs + pauseAfter(failures) };
}

/** The guard after a right proof. */
export const CLEAR: Guard = { failures: 0, pausedUntil: undefined };

/** Failures that one source prefix may cause over all people within the window, before all its attempts pause. */
export const SOURCE_BUDGET = 60;
export const SOURCE_WINDOW_MS = 10 * 60_000;
