import type { Lane } from '../throttle/index.js';
import type { PushRequestState } from '../vocabulary.js';

/** How long a phone is asked. */
export const PUSH_REQUEST_LIFE_MS = 90_000;
/** Requests of one person that may wait at once in one lane. */
export const OPEN_REQUESTS_MOST = 3;
/** Requests of one person in one lane that come to nothing, in the time that is looked back on: each makes a phone ring. */
export const FUTILE_REQUESTS_MOST = 6;
/** How long a phone asks nothing until it is taken for one that nobody looks at any more. */
export const SILENT_DAYS = 30;
/** How long a page of a release before may still be asked by: it fetches the new one by itself when it is opened anew. */
export const OUTDATED_HOURS = 24;
/** Wrong numbers that one request takes. */
export const WRONG_NUMBERS_MOST = 2;
/** Requests without an answer, one after the other, after which somebody is asked for something else. */
const UNANSWERED_MOST = 2;
/** How far back that is looked at, by lane: whoever is where they always are has mistapped, or left the phone at home. */
export const PUSH_PAUSE_MS: Readonly<Record<Lane, number>> = { familiar: 5 * 60_000, stranger: 15 * 60_000 };

/** A request of somebody lately. */
export interface LatelyAsked {
  readonly state: PushRequestState;
  readonly lane: Lane;
  readonly createdAt: number;
  readonly validUntil: number;
}

/**
 * Whether somebody's phones may be asked now, or something else has to be asked for: they have said no, let several go by, or are asked
 * by several already. What strangers do counts among strangers alone, and so keeps nobody from where they always are.
 *
 * @param lately requests of the last quarter of an hour, the latest first
 */
export function mayAskPhones(lately: readonly LatelyAsked[], lane: Lane, nowMs: number): boolean {
  const here = lately.filter((one) => one.lane === lane && nowMs - one.createdAt < PUSH_PAUSE_MS[lane]);
  if (here.some(({ state }) => state === 'denied' || state === 'not-me' || state === 'given-up')) return false;
  const waiting = here.filter(({ state }) => state === 'waiting');
  if (waiting.filter(({ validUntil }) => validUntil > nowMs).length >= OPEN_REQUESTS_MOST) return false;
  if (here.filter(({ state }) => state === 'waiting' || state === 'withdrawn').length >= FUTILE_REQUESTS_MOST)
    return false;
  // An answer in between is somebody who has their phone at hand.
  const silent = here.findIndex(({ state }) => state === 'approved' || state === 'used');
  const since = silent < 0 ? here : here.slice(0, silent);
  return since.filter((one) => one.state === 'waiting' && one.validUntil <= nowMs).length < UNANSWERED_MOST;
}
