/** What a sign-in asks, and how it ends. */

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
  'phone-asked',
  'denied',
  'not-answered',
  'expired',
] as const;
export type Reason = (typeof REASONS)[number];

/** Why, in full, for operators only: these would tell an outsider who exists and what they hold. */
export const OPERATOR_REASONS = [
  ...REASONS,
  'person-unknown',
  'person-deactivated',
  'none-that-fits',
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
  'pass-waiting',
  'pass-ended',
  'pass-not-here',
  'not-me',
  'authenticator-gone',
  'overtaken',
] as const;
export type OperatorReason = (typeof OPERATOR_REASONS)[number];

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
