import { normaliseLoginName, type LoginName } from '../loginnames/index.js';
import {
  DISPLAY_NAME_MAX,
  GROUP_NAME_MAX,
  isTimeZone,
  LANGUAGE_PATTERN,
  LINE_PATTERN,
  withoutUnseen,
  MAIL_MAX,
  MAIL_PATTERN,
} from '../people/fields.js';
import type { ColumnMeaning, CommaRule, RowReason } from '../vocabulary.js';
import { readPhone } from './phone.js';

/** How the cells of a file about people are read. */
export interface ReadingRules {
  /** What each column means, in the order of the file. */
  readonly columns: readonly ColumnMeaning[];
  /** ISO 3166-1 code that phone numbers without a country's prefix belong to. */
  readonly country: string | null;
  /** Whether an empty cell leaves what is known, or clears it. */
  readonly empty: 'keep' | 'clear';
  /** What a comma is in a cell of login names or groups. */
  readonly commas: CommaRule;
}

/** One thing wrong with a row; never what stood there. */
export interface RowIssue {
  /** Place of the column, from 0; null for the row as a whole. */
  readonly column: number | null;
  readonly reason: RowReason;
  readonly facts?: Readonly<Record<string, string | number>>;
}

/** One row about a person, as read. What is undefined is not said by the file; null clears. */
export interface PersonRow {
  readonly reference: string | undefined;
  readonly name: string | undefined;
  readonly loginNames: readonly LoginName[];
  readonly mail: string | null | undefined;
  readonly phone: string | null | undefined;
  readonly language: string | undefined;
  readonly timeZone: string | undefined;
  readonly groups: readonly string[] | undefined;
}

/** Longest reference, as login names. */
export const REFERENCE_MAX = 190;
const LOGIN_NAMES_MOST = 20;
const GROUPS_MOST = 100;

/** Cells that are as they were meant: plain characters, no space around them, no apostrophe first. Nearly all are. */
const PLAIN_CELL = /^[!-&(-<>-~](?:[ -~]*[!-~])?$/;

/**
 * A cell as it was meant: composed (NFC), trimmed, freed of what nobody sees, and without what keeps a spreadsheet from taking it for
 * a formula or a number: the apostrophe before it, which lists that this service gives out carry too, or the formula of a text.
 */
export function readCell(cell: string): string {
  if (cell === '' || PLAIN_CELL.test(cell)) return cell;
  const text = withoutUnseen(cell)
    .replace(/^'(?=[=+\-@\t\r\d])/, '')
    .normalize('NFC')
    .trim();
  // How spreadsheets are made to keep the zeros of a number: ="00123".
  return /^="([^"]*)"$/.exec(text)?.[1]?.trim() ?? text;
}

/** Entries of a cell that lists several, as this service writes them and as people do. */
export const readList = (cell: string, between = /[;|\r\n]+/): string[] => [
  ...new Set(
    cell
      .split(between)
      .map((entry) => entry.trim())
      .filter(Boolean),
  ),
];

/**
 * Login names of a cell. No login name holds a space, so one that does is several, or a person's name in the wrong column: only
 * somebody can tell, as with a comma.
 *
 * @returns undefined where somebody has to be asked
 */
export function readNames(cell: string, commas: CommaRule): string[] | undefined {
  if (commas === 'separate') return readList(cell, /[\s;,|]+/);
  const names = readList(cell);
  return names.some((name) => /\s/.test(name) || (commas === 'ask' && name.includes(','))) ? undefined : names;
}

class Problem extends Error {
  constructor(
    readonly reason: RowReason,
    readonly facts?: RowIssue['facts'],
  ) {
    super(reason);
  }
}

function line(text: string, most: number): string {
  if ([...text].length > most) throw new Problem('too-long', { most });
  if (!LINE_PATTERN.test(text)) throw new Problem('control-characters');
  return text;
}

function matching(text: string, fits: boolean, reason: RowReason): string {
  if (!fits) throw new Problem(reason);
  return text;
}

const LOGIN_NAME_REASONS = {
  empty: 'missing',
  'too-long': 'too-long',
  character: 'login-name-character',
  shape: 'login-name-shape',
} as const satisfies Record<string, RowReason>;

function loginName(typed: string): LoginName {
  const name = normaliseLoginName(typed);
  if (!name.ok) throw new Problem(LOGIN_NAME_REASONS[name.why], { most: REFERENCE_MAX });
  return name;
}

/** Reads one row. With issues the row is of no use beyond what it could be found by. */
export function readPersonRow(
  cells: readonly string[],
  rules: ReadingRules,
): { readonly row: PersonRow; readonly issues: readonly RowIssue[] } {
  const issues: RowIssue[] = [];
  const loginNames = new Map<string, LoginName>();
  const groups = new Set<string>();
  const said: { -readonly [K in Exclude<keyof PersonRow, 'loginNames' | 'groups'>]?: PersonRow[K] } = {};
  let given = '';
  let family = '';
  let groupsSaid = false;
  if (cells.length !== rules.columns.length)
    issues.push({ column: null, reason: 'row-length', facts: { cells: cells.length, columns: rules.columns.length } });

  const mail = (text: string) => matching(text, text.length <= MAIL_MAX && MAIL_PATTERN.test(text), 'mail');
  const readers: Readonly<Partial<Record<ColumnMeaning, (text: string) => void>>> = {
    reference: (text) => (said.reference = line(text, REFERENCE_MAX)),
    name: (text) => (said.name = line(text, DISPLAY_NAME_MAX)),
    'given-name': (text) => (given = line(text, DISPLAY_NAME_MAX)),
    'family-name': (text) => (family = line(text, DISPLAY_NAME_MAX)),
    'login-name': (text) => {
      const names = readNames(text, rules.commas);
      if (!names) throw new Problem('several-names');
      for (const typed of names) {
        const name = loginName(typed);
        loginNames.set(name.value, name);
      }
    },
    mail: (text) => (said.mail = mail(text)),
    'mail-and-login-name': (text) => {
      said.mail = mail(text);
      const name = loginName(text);
      loginNames.set(name.value, name);
    },
    phone: (text) => {
      const number = readPhone(text, rules.country ?? undefined);
      if (number === undefined) throw new Problem('phone');
      said.phone = number;
    },
    language: (text) => (said.language = matching(text, LANGUAGE_PATTERN.test(text), 'language')),
    'time-zone': (text) => (said.timeZone = matching(text, isTimeZone(text), 'time-zone')),
    groups: (text) => {
      for (const name of readList(text, rules.commas === 'separate' ? /[;,|\r\n]+/ : undefined))
        groups.add(line(name, GROUP_NAME_MAX));
    },
  };

  rules.columns.forEach((meaning, column) => {
    const text = readCell(cells[column] ?? '');
    try {
      if (meaning === 'groups') groupsSaid ||= text !== '' || rules.empty === 'clear';
      if (text !== '') readers[meaning]?.(text);
      else if (meaning === 'reference') throw new Problem('missing');
      else if (rules.empty === 'clear' && (meaning === 'mail' || meaning === 'mail-and-login-name')) said.mail = null;
      else if (rules.empty === 'clear' && meaning === 'phone') said.phone = null;
    } catch (problem) {
      if (!(problem instanceof Problem)) throw problem;
      issues.push({ column, reason: problem.reason, ...(problem.facts ? { facts: problem.facts } : {}) });
    }
  });
  if (loginNames.size > LOGIN_NAMES_MOST)
    issues.push({
      column: rules.columns.indexOf('login-name'),
      reason: 'too-many',
      facts: { most: LOGIN_NAMES_MOST },
    });
  if (groups.size > GROUPS_MOST)
    issues.push({ column: rules.columns.indexOf('groups'), reason: 'too-many', facts: { most: GROUPS_MOST } });
  const joined = `${given} ${family}`.trim();
  if (said.name === undefined && joined !== '') {
    if ([...joined].length > DISPLAY_NAME_MAX)
      issues.push({ column: null, reason: 'too-long', facts: { most: DISPLAY_NAME_MAX } });
    else said.name = joined;
  }
  return {
    row: {
      reference: said.reference,
      name: said.name,
      loginNames: [...loginNames.values()],
      mail: said.mail,
      phone: said.phone,
      language: said.language,
      timeZone: said.timeZone,
      // eslint-disable-next-line @typescript-eslint/no-unnecessary-condition -- set within what reads a cell
      groups: groupsSaid ? [...groups] : undefined,
    },
    issues,
  };
}
