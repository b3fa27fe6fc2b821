/**
 * The words of the product as closed sets. No imports: the contract, the client and the console read the same lists.
 */
export * from './vocabulary-configuration.js';
export * from './vocabulary-ids.js';
export * from './vocabulary-imports.js';
export * from './vocabulary-keys.js';
export * from './vocabulary-methods.js';
export * from './vocabulary-oidc.js';
export * from './vocabulary-tokens.js';

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

export const ROLES = ['owner', 'rulebook-editor', 'custodian', 'help-desk', 'auditor'] as const;
export type Role = (typeof ROLES)[number];
/** Roles that may be limited to groups; the others are about the installation as a whole. */
export const LIMITABLE_ROLES: readonly Role[] = ['custodian', 'help-desk'];

export const SIGN_IN_STATES = ['asking', 'let-in', 'refused', 'enrol-first', 'expired'] as const;
export type SignInState = (typeof SIGN_IN_STATES)[number];

/** What a sign-in can ask next. */
export const PROMPT_KINDS = [
  'password',
  'code',
  'next-code',
  'webauthn',
  'wait',
  'choose',
  'new-pin',
  'new-password',
  'text',
] as const;
export type PromptKind = (typeof PROMPT_KINDS)[number];
/** Those that are answered by typing. */
export const TYPED_PROMPTS = [
  'password',
  'new-password',
  'code',
  'next-code',
  'text',
  'new-pin',
] as const satisfies readonly PromptKind[];
export type TypedPrompt = (typeof TYPED_PROMPTS)[number];

/** Why a sign-in ended as it did, or why its last proof did not count. Told to applications; stable. */
export const REASONS = [
  'proved',
  'wrong-proof',
  'too-many-attempts',
  'throttled',
  'no-usable-authenticator',
  'prompt-not-carried',
  'refused-by-rule',
  'password-must-change',
  'pin-must-change',
  'grace',
  'cancelled',
  'expired',
] as const;
export type Reason = (typeof REASONS)[number];

/** Why, in full, for operators only: these would tell an outsider who exists and what they hold. */
export const OPERATOR_REASONS = [
  ...REASONS,
  'person-unknown',
  'person-deactivated',
  'no-password-set',
  'wrong-password',
  'wrong-code',
  'code-already-used',
  'counter-far',
  'pin-wanted',
  'wrong-pin',
  'key-unknown',
  'key-refused',
  'key-not-verified',
  'key-copied',
  'needs-unlock',
  'source-throttled',
  'authenticator-gone',
  'overtaken',
] as const;
export type OperatorReason = (typeof OPERATOR_REASONS)[number];

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

export const ACTOR_KINDS = ['person', 'application', 'host', 'service'] as const;
export type ActorKind = (typeof ACTOR_KINDS)[number];

/** Everything that can be written on the trail: area, a dot, what happened. */
export const TRAIL_ACTIONS = [
  'set-up.completed',
  'owner-link.issued',
  'owner-link.used',
  'session.started',
  'session.ended',
  'session.re-proved',
  'browser-session.started',
  'browser-session.ended',
  'browser.remembered',
  'browser.forgotten',
  'code.replayed',
  'signing-key.made',
  'signing-key.retired',
  'access-token.issued',
  'access-token.revoked',
  'permission.refused',
  'person.added',
  'person.changed',
  'person.deactivated',
  'person.reactivated',
  'person.deleted',
  'person.exported',
  'bulk-change.begun',
  'import.received',
  'import.begun',
  'import.finished',
  'import.stopped',
  'import.discarded',
  'import.report-taken',
  'import-mapping.saved',
  'import-mapping.deleted',
  'login-name.added',
  'login-name.removed',
  'role.granted',
  'role.revoked',
  'emergency-account.marked',
  'emergency-account.unmarked',
  'emergency-account.used',
  'countersignature.asked',
  'countersignature.given',
  'countersignature.refused',
  'countersignature.withdrawn',
  'group.added',
  'group.changed',
  'group.deleted',
  'group.joined',
  'group.left',
  'group.part-added',
  'group.part-removed',
  'carrier.added',
  'carrier.changed',
  'carrier.lost',
  'carrier.found',
  'token.imported',
  'token.entered',
  'token.assigned',
  'token.sent',
  'token.arrived',
  'token.returned',
  'token.restocked',
  'token.lost',
  'token.broken',
  'token.retired',
  'token.exported',
  'file-certificate.made',
  'file-certificate.retired',
  'authenticator.begun',
  'authenticator.proved',
  'authenticator.proof-failed',
  'authenticator.copied',
  'authenticator.imported',
  'authenticator.suspended',
  'authenticator.resumed',
  'authenticator.revoked',
  'authenticator.expired',
  'authenticator.unlocked',
  'authenticator.resynchronised',
  'authenticator.tested',
  'authenticator.preferred',
  'authenticator.renamed',
  'authenticator.restricted',
  'pin.given',
  'pin.set',
  'pin.removed',
  'password.set',
  'application.added',
  'application.changed',
  'application.deleted',
  'connection.added',
  'connection.changed',
  'connection.deleted',
  'connection-key.issued',
  'connection-key.revoked',
  'sign-in.let-in',
  'sign-in.refused',
  'sign-in.enrol-first',
  'sign-in.proof-failed',
  'sign-in.cancelled',
  'sign-in.judged',
  'rulebook.draft-saved',
  'rulebook.draft-discarded',
  'rulebook.published',
  'network.added',
  'network.changed',
  'network.deleted',
  'setting.changed',
  'methods.changed',
  'relying-party.changed',
  'key-metadata.changed',
  'key-metadata.read',
  'attestation-root.added',
  'attestation-root.removed',
  'configuration.applied',
  'key.rotated',
  'key.retired',
  'spelling.mended',
  'activity.exported',
  'trail.read',
  'trail.exported',
] as const;
export type TrailAction = (typeof TRAIL_ACTIONS)[number];

/** One right. Every route names one; a role is a set of them. */
export const PERMISSIONS = [
  'person.read',
  'person.write',
  'person.delete',
  'person.import',
  'person.bulk',
  'group.read',
  'group.write',
  'keyring.read',
  'keyring.enrol',
  'keyring.suspend',
  'keyring.revoke',
  'keyring.unlock',
  'stock.read',
  'stock.write',
  'stock.export',
  'password.set',
  'application.read',
  'application.write',
  'activity.read',
  'trail.read',
  'walk-through.run',
  'rulebook.read',
  'rulebook.write',
  'role.read',
  'role.write',
  'setting.read',
  'setting.write',
  'access-token.own',
  'access-token.all',
  'system.read',
] as const;
export type Permission = (typeof PERMISSIONS)[number];

/** Actions that may need a second administrator's yes; which of them do is a setting. */
export const SIGNED_ACTIONS = ['role-change', 'administrator-factor', 'lock-out', 'secret-export'] as const;
export type SignedAction = (typeof SIGNED_ACTIONS)[number];

/** What an action that needs a countersignature would bring about; the sentences stand in the message catalogue. */
export const CONSEQUENCES = [
  'role-given',
  'role-given-within',
  'role-taken',
  'emergency-marked',
  'emergency-unmarked',
  'administrator-deactivated',
  'administrator-reactivated',
  'administrator-deleted',
  'factor-begun',
  'factor-suspended',
  'factor-resumed',
  'factor-revoked',
  'factor-unlocked',
  'factor-resynchronised',
  'factor-restricted',
  'pin-given',
  'pin-removed',
  'carrier-lost',
  'secrets-exported',
  'password-set',
  'signing-changed',
  'rulebook-locks-out',
  'methods-lock-out',
  'keys-orphaned',
] as const;
export type ConsequenceId = (typeof CONSEQUENCES)[number];

/** Where a request for a countersignature stands. `overtaken`: what it was asked for is not as it was shown any more. */
export const SIGNATURE_STATES = ['open', 'given', 'refused', 'withdrawn', 'expired', 'overtaken', 'done'] as const;
export type SignatureState = (typeof SIGNATURE_STATES)[number];

/** What may be noticed about a sign-in that makes it riskier. */
export const SIGNALS = [
  'new-network',
  'new-browser',
  'failures-before',
  'too-far',
  'odd-hour',
  'anonymising-network',
  'application',
] as const;
export type SignalId = (typeof SIGNALS)[number];

/** What an administrator says of a sign-in: it was not the person; it was them. */
export const VERDICTS = ['confirmed', 'dismissed'] as const;
export type Verdict = (typeof VERDICTS)[number];

/** Systems that a browser may say it runs on. */
export const SYSTEMS = ['android', 'chromeos', 'ios', 'linux', 'macos', 'windows', 'other'] as const;
export type System = (typeof SYSTEMS)[number];

export const WEEKDAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;
export type Weekday = (typeof WEEKDAYS)[number];

/** Why a text is not a rulebook; the sentences stand in the message catalogue. */
export const RULEBOOK_PROBLEMS = [
  'not-yaml',
  'too-long',
  'too-many-rules',
  'too-deep',
  'alias',
  'tag',
  'key-twice',
  'several-documents',
  'more',
  'expected-map',
  'expected-list',
  'expected-text',
  'expected-one-of',
  'key-unknown',
  'key-missing',
  'form-unknown',
  'name-twice',
  'name-length',
  'list-empty',
  'list-too-long',
  'way',
  'day',
  'hours',
  'zone',
  'number',
  'duration',
  'both-or-none',
  'person-or-group',
] as const;
export type RulebookProblemId = (typeof RULEBOOK_PROBLEMS)[number];

/** What a rulebook says that probably was not meant. */
export const FINDINGS = [
  'never-reached',
  'exception-ended',
  'trial-over',
  'grace-over',
  'name-unknown',
  'name-changed',
  'group-empty',
  'way-not-possible',
  'outcome-not-possible',
  'emergency-asked',
  'one-method-only',
  'publisher-locked-out',
  'not-carried',
  'enrols-by-one-proof',
] as const;
export type FindingId = (typeof FINDINGS)[number];

/** Rulebooks to begin with, each named by its goal. */
export const STARTER_IDS = [
  'as-delivered',
  'gently-in',
  'everybody-with-grace',
  'administrators-phishing-resistant',
  'enrol-in-the-house',
] as const;
export type StarterId = (typeof STARTER_IDS)[number];

/** How a rule stood to a sign-in. */
export const RULE_STANDINGS = [
  'decides',
  /** It is on trial, and would have decided. */
  'would-decide',
  /** A condition does not hold. */
  'does-not-apply',
  /** Every condition holds, but an exception leaves the person out. */
  'excepted',
  /** It applies, but one before it decided. */
  'too-late',
  'resting',
  'trial-over',
] as const;
export type RuleStanding = (typeof RULE_STANDINGS)[number];

/** What a rule can ask of a sign-in. */
export const RULE_CONDITIONS = [
  'who',
  'applications',
  'networks',
  'countries',
  'cities',
  'times',
  'risk',
  'browser',
  'last-proof',
  'systems',
] as const;
export type RuleCondition = (typeof RULE_CONDITIONS)[number];

/** What rules name. */
export const NAME_KINDS = ['group', 'person', 'application', 'network', 'country', 'city'] as const;
export type NameKind = (typeof NAME_KINDS)[number];

export const JOB_STATES = ['waiting', 'running', 'done', 'failed'] as const;
export type JobState = (typeof JOB_STATES)[number];

/** What can be done to many people at once. */
export const BULK_KINDS = ['join', 'leave', 'deactivate', 'reactivate'] as const;
export type BulkKind = (typeof BULK_KINDS)[number];

export const BULK_STATES = ['waiting', 'running', 'done'] as const;
export type BulkState = (typeof BULK_STATES)[number];
