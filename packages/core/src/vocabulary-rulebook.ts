/** What rules are made of, and what is said of them. */

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
  'exception-no-help',
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
  /** It decides, by what an exception of it says instead. */
  'decides-instead',
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
