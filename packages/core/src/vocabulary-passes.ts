/** Temporary passes. */

/** What a pass is good for: signing in at applications, coming to a new authenticator, or both. */
export const PASS_PURPOSES = ['sign-in', 'enrol', 'both'] as const;
export type PassPurpose = (typeof PASS_PURPOSES)[number];

/** `waiting`: its time has not come yet. */
export const PASS_STATES = ['waiting', 'open', 'suspended', 'ended'] as const;
export type PassState = (typeof PASS_STATES)[number];

/** Why a pass ended. `factor`: its holder has a factor of their own in use again. */
export const PASS_ENDS = ['used-up', 'ran-out', 'factor', 'withdrawn'] as const;
export type PassEnd = (typeof PASS_ENDS)[number];

/** How far whoever gives passes may go. */
export const PASS_BOUNDS = ['hours', 'uses', 'open', 'perDay'] as const;
export type PassBound = (typeof PASS_BOUNDS)[number];
