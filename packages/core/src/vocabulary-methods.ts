/** Kinds of authenticator. What there is to know of each stands in `methods/kinds/<method>.ts`. */
export const METHODS = [
  'password',
  'totp',
  'hotp',
  'webauthn',
  'push',
  'sms',
  'voice',
  'email',
  'recovery',
  'pass',
  'certificate',
  'workstation',
  'sshkey',
] as const;
export type Method = (typeof METHODS)[number];

/** What a proof of a way may ask of the authenticator beside its method. */
export const QUALIFIERS = ['verified', 'device-bound', 'hardware', 'pin'] as const;
export type Qualifier = (typeof QUALIFIERS)[number];

/** What a method may be used for. */
export const METHOD_PURPOSES = ['sign-in', 'reset', 'caller-check', 'enrol'] as const;
export type MethodPurpose = (typeof METHOD_PURPOSES)[number];

/** What people do with their own by themselves. */
export const SELF_ACTIONS = ['enrol', 'name', 'prefer', 'test', 'resync', 'pin', 'remove'] as const;
export type SelfAction = (typeof SELF_ACTIONS)[number];

/** Why a method is not offered to somebody. */
export const WHY_NOT_OFFERED = [
  'not-built',
  'nothing-said',
  'not-enrolled-any-more',
  'checked-elsewhere',
  'not-invited-to',
  'in-person',
  'countersigned',
  'not-by-oneself',
] as const;
export type WhyNotOffered = (typeof WHY_NOT_OFFERED)[number];
