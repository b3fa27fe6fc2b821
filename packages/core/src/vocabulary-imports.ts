/** The closed sets of files that are brought in. Part of the vocabulary, which is where they are imported from. */

import { KEY_FILE_COLUMNS, KEY_REASONS } from './vocabulary-keys.js';
import { TOKEN_FILE_COLUMNS, TOKEN_REASONS } from './vocabulary-tokens.js';

/** What a file that is brought in lists. */
export const IMPORT_KINDS = ['people', 'groups', 'tokens', 'keys'] as const;
export type ImportKind = (typeof IMPORT_KINDS)[number];

/** Where an import stands. `stopped`: half of it may be written; it can go on. */
export const IMPORT_STATES = ['staged', 'checking', 'checked', 'applying', 'stopped', 'done'] as const;
export type ImportState = (typeof IMPORT_STATES)[number];

/** What a column of a file about people can mean. */
export const PEOPLE_COLUMNS = [
  'nothing',
  'reference',
  'name',
  'given-name',
  'family-name',
  'login-name',
  'mail',
  'mail-and-login-name',
  'phone',
  'language',
  'time-zone',
  'groups',
] as const;

/** What a column of a file about groups can mean. */
export const GROUP_COLUMNS = ['nothing', 'group', 'description', 'part-of', 'member'] as const;

export const COLUMN_MEANINGS = [
  ...PEOPLE_COLUMNS,
  'group',
  'description',
  'part-of',
  'member',
  ...TOKEN_FILE_COLUMNS,
  'drift-seconds',
  ...KEY_FILE_COLUMNS,
] as const;
export type ColumnMeaning = (typeof COLUMN_MEANINGS)[number];

/** What a row of a file comes to. `missing` are those the last file had and this one has not. */
export const ROW_VERDICTS = ['new', 'changed', 'returning', 'unchanged', 'missing', 'refused'] as const;
export type RowVerdict = (typeof ROW_VERDICTS)[number];

/** Why a row is refused, or its column. */
export const ROW_REASONS = [
  'row-length',
  'missing',
  'too-long',
  'control-characters',
  'login-name-character',
  'login-name-shape',
  'several-names',
  'several-groups',
  'login-name-missing',
  'too-many',
  'mail',
  'phone',
  'language',
  'time-zone',
  'twice-in-file',
  'two-people',
  'owners-only',
  'part-of-itself',
  'unknown-person',
  'holds-a-role',
  'overtaken',
  ...TOKEN_REASONS,
  ...KEY_REASONS,
] as const;
export type RowReason = (typeof ROW_REASONS)[number];

/** What changes on a person or a group. */
export const ROW_CHANGES = [
  'name',
  'mail',
  'phone',
  'language',
  'time-zone',
  'reference',
  'login-name',
  'group',
  'state',
  'description',
  'part-of',
  'member',
  'holder',
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
  'not-honoured',
  'called',
] as const;
export type RowChange = (typeof ROW_CHANGES)[number];

/** What a comma in a cell of login names or groups is: to be asked about, between two of them, or in one. */
export const COMMA_RULES = ['ask', 'separate', 'keep'] as const;
export type CommaRule = (typeof COMMA_RULES)[number];

/** Why an import came to rest without being done. */
export const IMPORT_PROBLEMS = ['overtaken', 'asked-to-stop', 'internal'] as const;
export type ImportProblem = (typeof IMPORT_PROBLEMS)[number];
