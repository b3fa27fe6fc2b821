/** Approvals on a phone. */

/** What a person says to a request: it is me; no; it was somebody else. */
export const PUSH_DECISIONS = ['approve', 'deny', 'not-me'] as const;
export type PushDecision = (typeof PUSH_DECISIONS)[number];

/**
 * Where a request to somebody's phones stands. `used`: the sign-in has gone on by the approval; `withdrawn`: it has gone on, or ended,
 * without one; `given-up`: the number was wrong too often.
 */
export const PUSH_REQUEST_STATES = [
  'waiting',
  'approved',
  'used',
  'denied',
  'not-me',
  'given-up',
  'withdrawn',
] as const;
export type PushRequestState = (typeof PUSH_REQUEST_STATES)[number];
