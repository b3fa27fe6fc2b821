/** The closed sets of hardware tokens and their files. Part of the vocabulary, which is where they are imported from. */

/** What a file of tokens says of each. `problem`: why its package could not be read, in files that are no tables. */
export const TOKEN_FILE_COLUMNS = [
  'serial',
  'secret',
  'maker',
  'model',
  'kind',
  'algorithm',
  'digits',
  'period',
  't0',
  'counter',
  'drift',
  'starts',
  'expires',
  'owner',
  'not-honoured',
  'problem',
] as const;

/** What a column of a file of tokens can mean. A drift in seconds only a table has: containers count in steps. */
export const TOKEN_COLUMNS = ['nothing', ...TOKEN_FILE_COLUMNS, 'drift-seconds'] as const;

/** What the codes of a token depend on, beside its secret. */
export const TOKEN_PARAMETERS = ['kind', 'algorithm', 'digits', 'period', 't0', 'counter', 'drift'] as const;
export type TokenParameter = (typeof TOKEN_PARAMETERS)[number];

/** What of a token can be corrected. */
export const TOKEN_CORRECTIONS = ['maker', 'model', ...TOKEN_PARAMETERS, 'starts', 'expires'] as const;
export type TokenCorrection = (typeof TOKEN_CORRECTIONS)[number];

/** How a secret is written in a table. */
export const SECRET_ENCODINGS = ['base32', 'hex', 'base64'] as const;
export type SecretEncoding = (typeof SECRET_ENCODINGS)[number];

/** What of a cell names the owner of a token. */
export const OWNER_PARTS = ['whole', 'before-at', 'after-backslash'] as const;
export type OwnerPart = (typeof OWNER_PARTS)[number];

/** Forms in which tokens come. */
export const TOKEN_FILE_FORMS = ['csv', 'pskc', 'key-uris'] as const;
export type TokenFileForm = (typeof TOKEN_FILE_FORMS)[number];

/** Why a file of keys (RFC 6030) cannot be read at all. */
export const PSKC_PROBLEMS = [
  'xml',
  'doctype',
  'too-deep',
  'too-large',
  'not-pskc',
  'version',
  'key-needed',
  'key-kind',
  'key-derivation',
  'iterations',
  'xml-encoding',
  'encryption-unknown',
  'mac-unknown',
  'mac-missing',
  'wrong-key',
  'signed',
  'not-signed',
  'signature-form',
  'signature-partial',
  'signature-weak',
  'signature-wrong',
  'certificate-unknown',
  'empty',
] as const;
export type PskcProblemId = (typeof PSKC_PROBLEMS)[number];

/** Why one token of a file is refused, beside what rows of every file can lack. */
export const TOKEN_REASONS = [
  'secret-encoding',
  'secret-form',
  'secret-length',
  'secret-weak',
  'secret-twice',
  'not-a-number',
  'not-whole',
  'not-a-day',
  'kind-unknown',
  'algorithm-unknown',
  'said-otherwise',
  'serial-shape',
  'account-no-serial',
  'twice-among-tokens',
  'mac-missing',
  'mac-wrong',
  'encryption-unknown',
  'value-broken',
  'policy-usage',
  'policy-unknown',
  'check-digits',
  'doubled',
  'uri-parameter',
  'proved-otherwise',
  'in-use-otherwise',
  'secret-other',
  'not-in-stock',
  'held-by-other',
  'serial-ambiguous',
  'method-not-offered',
] as const;

/** Where a hardware token is in its life. */
export const TOKEN_STATES = [
  'in-stock',
  'assigned',
  'sent',
  'in-use',
  'returned',
  'lost',
  'broken',
  'retired',
] as const;
export type TokenState = (typeof TOKEN_STATES)[number];

/** What happens to a token. */
export const TOKEN_EVENTS = [
  'imported',
  'entered',
  'corrected',
  'assigned',
  'sent',
  'arrived',
  'proved',
  'resynchronised',
  'returned',
  'restocked',
  'lost',
  'broken',
  'retired',
  'exported',
] as const;
export type TokenEvent = (typeof TOKEN_EVENTS)[number];
