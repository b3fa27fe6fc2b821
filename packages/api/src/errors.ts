/**
 * The one table of errors. A code is stable and never reused. Which sentence is shown for it stands in the message
 * catalogue; facts travel beside it as data.
 */

/** Who may be told this code. Outsiders only ever meet codes for `anyone`. */
export type Audience = 'anyone' | 'application' | 'operator';

export interface ErrorSpec {
  /** HTTP status. */
  readonly status: number;
  /** Exit status of the command-line client; one for each kind of failure. */
  readonly exit: number;
  /** Whether the same request may succeed when sent again later. */
  readonly retryable: boolean;
  readonly audience: Audience;
}

/** Exit statuses of `nlatch`, by kind of failure. */
export const EXIT = {
  ok: 0,
  internal: 1,
  badInput: 2,
  notSignedIn: 3,
  notPermitted: 4,
  notFound: 5,
  conflict: 6,
  unavailable: 7,
  throttled: 8,
  refused: 9,
} as const;

const table = {
  'invalid-input': { status: 400, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'malformed-request': { status: 400, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'malformed-body': { status: 400, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'not-signed-in': { status: 401, exit: EXIT.notSignedIn, retryable: false, audience: 'anyone' },
  'wrong-key': { status: 401, exit: EXIT.notSignedIn, retryable: false, audience: 'application' },
  'not-permitted': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'operator' },
  'outside-your-groups': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'operator' },
  'owners-only': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'operator' },
  'own-rights': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'operator' },
  'not-yours-to-sign': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'operator' },
  'scope-missing': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'application' },
  'proof-needed': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'operator' },
  'cross-site': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'anyone' },
  'not-found': { status: 404, exit: EXIT.notFound, retryable: false, audience: 'anyone' },
  'login-name-taken': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'serial-taken': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'name-taken': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'wrong-state': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'last-login-name': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'last-owner': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'limit-reached': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'count-changed': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'role-not-limitable': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'operator' },
  'signature-needed': { status: 409, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'signature-expired': { status: 410, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'group-circle': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'bad-rows': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'too-many-cleared': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'entry-ambiguous': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'token-proved': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'too-many-missing': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'sign-in-ended': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'anyone' },
  'sign-in-moved-on': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'anyone' },
  'phone-unknown': { status: 403, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'phone-clock': { status: 403, exit: EXIT.refused, retryable: true, audience: 'anyone' },
  'push-service-refused': { status: 400, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'phone-known': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'anyone' },
  'phone-waits': { status: 409, exit: EXIT.conflict, retryable: true, audience: 'anyone' },
  'request-gone': { status: 410, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'link-spent': { status: 410, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'changed-meanwhile': { status: 412, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'body-too-large': { status: 413, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'unsupported-media-type': { status: 415, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'not-a-table': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'operator' },
  'key-file-unreadable': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'operator' },
  'code-used': { status: 422, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'stock-empty': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'code-wrong': { status: 422, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'clock-off': { status: 422, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'token-clock-off': { status: 422, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'token-ahead': { status: 422, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'codes-not-consecutive': { status: 422, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'token-days': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'anyone' },
  'key-needs-name': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'anyone' },
  'keys-elsewhere': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'anyone' },
  'key-not-right': { status: 422, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'key-not-allowed': { status: 422, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'metadata-refused': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'operator' },
  'metadata-no-root': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'metadata-unreachable': { status: 422, exit: EXIT.unavailable, retryable: true, audience: 'operator' },
  'key-not-taken': { status: 422, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'key-known': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'anyone' },
  'pin-weak': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'password-weak': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'password-wrong': { status: 422, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'key-reused': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'anyone' },
  'named-by-rule': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'named-by-methods': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'method-not-offered': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'passes-open': { status: 409, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'last-day': { status: 409, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'invitation-gone': { status: 410, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'notice-gone': { status: 410, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'proof-old': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'anyone' },
  'proof-weak': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'anyone' },
  'last-way': { status: 409, exit: EXIT.refused, retryable: false, audience: 'anyone' },
  'not-by-oneself': { status: 403, exit: EXIT.notPermitted, retryable: false, audience: 'anyone' },
  'no-mail-server': { status: 409, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'no-mail': { status: 409, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'passes-today': { status: 409, exit: EXIT.refused, retryable: false, audience: 'operator' },
  'draft-missing': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'too-dear': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'operator' },
  'draft-unsound': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'operator' },
  'configuration-unsound': { status: 422, exit: EXIT.badInput, retryable: false, audience: 'operator' },
  'draft-in-the-way': { status: 409, exit: EXIT.conflict, retryable: false, audience: 'operator' },
  'if-match-needed': { status: 428, exit: EXIT.badInput, retryable: false, audience: 'operator' },
  throttled: { status: 429, exit: EXIT.throttled, retryable: true, audience: 'anyone' },
  internal: { status: 500, exit: EXIT.internal, retryable: false, audience: 'anyone' },
  unavailable: { status: 503, exit: EXIT.unavailable, retryable: true, audience: 'anyone' },
} as const satisfies Record<string, ErrorSpec>;

export type ErrorCode = keyof typeof table;
export const ERRORS: Readonly<Record<ErrorCode, ErrorSpec>> = table;
export const ERROR_CODES = Object.keys(table) as ErrorCode[];

/** One thing wrong with one field. */
export interface FieldIssue {
  /** `body.loginNames[0]`, `query.limit`, `params.id`. */
  readonly where: string;
  /** What was expected, without the value that was sent. */
  readonly what: string;
}

/** RFC 9457 problem details, with our code and facts. */
export interface Problem {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly code: ErrorCode;
  readonly detail: string;
  /** What to do about it. */
  readonly remedy: string;
  readonly retryable: boolean;
  /** The request's id, for finding it in the log. */
  readonly instance: string;
  readonly issues?: readonly FieldIssue[];
  /** Facts that the sentence was made from. */
  readonly facts?: Readonly<Record<string, string | number | boolean>>;
}
