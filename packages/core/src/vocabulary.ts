/**
 * The words of the product as closed sets. No imports: the contract, the client and the console read the same lists.
 */
export * from './vocabulary-access.js';
export * from './vocabulary-configuration.js';
export * from './vocabulary-ids.js';
export * from './vocabulary-imports.js';
export * from './vocabulary-invitations.js';
export * from './vocabulary-keys.js';
export * from './vocabulary-methods.js';
export * from './vocabulary-notices.js';
export * from './vocabulary-oidc.js';
export * from './vocabulary-passes.js';
export * from './vocabulary-push.js';
export * from './vocabulary-rulebook.js';
export * from './vocabulary-signin.js';
export * from './vocabulary-tokens.js';
export * from './vocabulary-trail.js';

/** Places of our own where people help themselves; each is an application in the rulebook. */
export const OWN_PLACES = ['enrolment', 'password-reset'] as const;
export type OwnPlace = (typeof OWN_PLACES)[number];

/** What an authenticator can be. *Throttled* is derived from its guard, never stored. */
export const AUTHENTICATOR_STATES = ['pending', 'active', 'suspended', 'parked', 'revoked', 'expired'] as const;
export type AuthenticatorState = (typeof AUTHENTICATOR_STATES)[number];

/** The physical thing that carries authenticators. */
export const CARRIER_KINDS = ['phone', 'security-key', 'fob', 'laptop', 'paper', 'other'] as const;
export type CarrierKind = (typeof CARRIER_KINDS)[number];

export const CARRIER_STATES = ['in-hand', 'lost'] as const;
export type CarrierState = (typeof CARRIER_STATES)[number];

export const PERSON_STATES = ['active', 'deactivated'] as const;
export type PersonState = (typeof PERSON_STATES)[number];

/** Where a person or a login name came from. */
export const SOURCES = ['hand', 'csv', 'directory', 'scim', 'application', 'set-up'] as const;
export type Source = (typeof SOURCES)[number];

/** How well somebody is covered by what stands on their keyring; see docs/concepts.md. */
export const COVERAGES = ['nothing', 'weak', 'two-factors', 'phishing-resistant'] as const;
export type Coverage = (typeof COVERAGES)[number];

/** How long ago somebody last signed in: within 7, 30 or 90 days, longer ago, never. */
export const SEEN = ['this-week', 'this-month', 'this-quarter', 'longer-ago', 'never'] as const;
export type Seen = (typeof SEEN)[number];

/** Shapes of login name. `plain` ines.marlow, `mail` ines@wexmoor.example, `domain` WEX\imarlow, `host` tower-03:imarlow. */
export const LOGIN_NAME_KINDS = ['plain', 'mail', 'domain', 'host'] as const;
export type LoginNameKind = (typeof LOGIN_NAME_KINDS)[number];

/** What a connection may do. */
export const SCOPES = ['check', 'challenge', 'read', 'create-people'] as const;
export type Scope = (typeof SCOPES)[number];

/** What a connection may claim on its word. */
export const CLAIMS = ['password-checked', 'source-address', 'browser', 'risk', 'unlock'] as const;
export type Claim = (typeof CLAIMS)[number];

export const CONNECTION_KINDS = ['http', 'radius', 'ssh', 'oidc'] as const;
export type ConnectionKind = (typeof CONNECTION_KINDS)[number];

/** Hash functions of RFC 6238 §1.2, in the spelling of the key URI. */
export const OTP_ALGORITHMS = ['SHA1', 'SHA256', 'SHA512'] as const;
export type OtpAlgorithm = (typeof OTP_ALGORITHMS)[number];

/** What a key of the key set is for. A key serves one purpose only. */
export const KEY_PURPOSES = [
  'seed',
  'contact',
  'index',
  'verify',
  'outcome',
  'decoy',
  'trail',
  'outbox',
  'request',
  'token',
] as const;
export type KeyPurpose = (typeof KEY_PURPOSES)[number];

/** `active` writes and reads; `reading` only reads; `retired` is kept for the record and no longer used. */
export const KEY_STATES = ['active', 'reading', 'retired'] as const;
export type KeyState = (typeof KEY_STATES)[number];

/** How a database server stands, as a node that asked it sees it; `not-ready`: a member of a cluster that is cut off or catches up. */
export const DATABASE_STATES = ['serves', 'not-ready', 'silent', 'refuses'] as const;
export type DatabaseState = (typeof DATABASE_STATES)[number];

export const JOB_STATES = ['waiting', 'running', 'done', 'failed'] as const;
export type JobState = (typeof JOB_STATES)[number];

/** What can be done to many people at once. */
export const BULK_KINDS = ['join', 'leave', 'deactivate', 'reactivate'] as const;
export type BulkKind = (typeof BULK_KINDS)[number];

export const BULK_STATES = ['waiting', 'running', 'done'] as const;
export type BulkState = (typeof BULK_STATES)[number];
