/** Words of passkeys and security keys. */

/** What keeps a domain from being what keys are made for. */
export const PARTY_PROBLEMS = ['address', 'not-a-domain', 'too-wide', 'other-host'] as const;
export type PartyProblem = (typeof PARTY_PROBLEMS)[number];

/** What is wrong with an origin. */
export const ORIGIN_PROBLEMS = ['origin-form', 'origin-address', 'origin-plain'] as const;
export type OriginProblem = (typeof ORIGIN_PROBLEMS)[number];
