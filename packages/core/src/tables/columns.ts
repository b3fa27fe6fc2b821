import {
  GROUP_COLUMNS,
  KEY_COLUMNS,
  PEOPLE_COLUMNS,
  TOKEN_COLUMNS,
  TOKEN_PARAMETERS,
  type ColumnMeaning,
  type ImportKind,
} from '../vocabulary.js';
import { isTimeZone, LANGUAGE_PATTERN, MAIL_PATTERN } from '../people/fields.js';
import { readPhone } from './phone.js';

/** What the columns of a kind of file can mean. */
export const MEANINGS: Readonly<Record<ImportKind, readonly ColumnMeaning[]>> = {
  people: PEOPLE_COLUMNS,
  groups: GROUP_COLUMNS,
  tokens: TOKEN_COLUMNS,
  keys: KEY_COLUMNS,
};

/** Meanings that several columns may have; every other stands at most once. */
export const REPEATABLE: ReadonlySet<ColumnMeaning> = new Set(['nothing', 'login-name', 'groups', 'member']);

/** Longest name of a column that is kept, in characters. */
const HEADER_MAX = 60;

/** Names for the columns of a file: as its header has them, told apart where two are the same, numbered where one is empty. */
export function nameColumns(header: readonly string[]): string[] {
  const taken = new Set<string>();
  return header.map((cell, i) => {
    const said = cell
      .replace(/[\u0000-\u001f\u007f]+/g, ' ')
      .normalize('NFC')
      .trim();
    const base = [...(said || `#${i + 1}`)].slice(0, HEADER_MAX).join('');
    let name = base;
    for (let n = 2; taken.has(name); n++) name = `${base} (${n})`;
    taken.add(name);
    return name;
  });
}

/** Words that headers are made of, in the languages that ship, folded to letters and digits. */
const HEADERS: Readonly<Partial<Record<ColumnMeaning, RegExp>>> = {
  reference:
    /^(?:id|uid|ref|reference|key|(?:employee|staff|personnel|person|payroll|member)(?:id|no|nr|number)|externalid|personalnummer|personalnr|persnr|mitarbeiternummer|mitarbeiterid|referenz|schlussel)$/,
  name: /^(?:name|displayname|fullname|commonname|cn|anzeigename|vollername|person)$/,
  'given-name': /^(?:givenname|firstname|forename|vorname)$/,
  'family-name': /^(?:familyname|lastname|surname|sn|nachname|familienname|zuname)$/,
  'login-name':
    /^(?:login|loginname|loginnames|logon|username|user|account|accountname|samaccountname|userprincipalname|upn|benutzer|benutzername|anmeldename|kennung|konto)$/,
  mail: /^(?:mail|email|emailaddress|mailaddress|workmail|workemail|mailadresse|emailadresse)$/,
  phone:
    /^(?:phone|phonenumber|mobile|mobilephone|mobilenumber|telephone|tel|cell|telefon|telefonnummer|mobil|mobiltelefon|handy|rufnummer)$/,
  language: /^(?:language|lang|preferredlanguage|sprache)$/,
  'time-zone': /^(?:timezone|tz|zone|zeitzone)$/,
  groups: /^(?:group|groups|department|team|teams|unit|orgunit|division|gruppe|gruppen|abteilung|bereich)$/,
  group: /^(?:group|groupname|name|cn|gruppe|gruppenname)$/,
  description: /^(?:description|about|note|beschreibung|bemerkung)$/,
  'part-of': /^(?:partof|parent|parentgroup|within|ofgroup|teilvon|obergruppe)$/,
  member: /^(?:member|members|person|login|loginname|username|user|mitglied|mitglieder|benutzername|anmeldename)$/,
};

const fold = (header: string) =>
  header
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]/gu, '');

/** What the cells of a column look like, told by most of those that are filled. */
function looksLike(cells: readonly string[]): 'mail' | 'phone' | 'language' | 'time-zone' | undefined {
  const filled = cells.map((cell) => cell.trim()).filter((cell) => cell !== '');
  if (filled.length === 0) return undefined;
  const most = (is: (cell: string) => boolean) => filled.filter(is).length >= filled.length * 0.8;
  if (most((cell) => MAIL_PATTERN.test(cell))) return 'mail';
  if (most((cell) => cell.startsWith('+') && readPhone(cell) !== undefined)) return 'phone';
  if (most((cell) => cell.includes('/') && isTimeZone(cell))) return 'time-zone';
  if (most((cell) => LANGUAGE_PATTERN.test(cell) && cell.length > 2)) return 'language';
  return undefined;
}

/** What a cell is at a glance, to tell a heading from what stands below it. */
function glance(cell: string): 'mail' | 'number' | 'code' | 'text' {
  if (cell.includes('@')) return 'mail';
  if (/^[+\d][\d ()/.-]*$/.test(cell)) return 'number';
  return /\d/.test(cell) ? 'code' : 'text';
}
const filledOf = (cells: readonly string[]) => cells.map((cell) => cell.trim()).filter((cell) => cell !== '');

/** Whether a heading has a word by which files of people and groups are told. */
export const isKnownHeading = (cell: string): boolean =>
  fold(cell) !== '' && Object.values(HEADERS).some((is) => is.test(fold(cell)));

/**
 * Whether the first row names columns: none of it is a mail address or a number, and either it has a word that headings are
 * made of, or a column below it holds something of another kind than its first cell.
 *
 * @param rest some of the rows below
 * @param known whether a cell is a heading that is understood
 */
export function looksLikeHeader(
  first: readonly string[],
  rest: readonly (readonly string[])[] = [],
  known: (cell: string) => boolean = isKnownHeading,
): boolean {
  const filled = filledOf(first);
  if (filled.length === 0 || filled.some((cell) => ['mail', 'number'].includes(glance(cell)))) return false;
  if (first.length === 1 || filled.some(known)) return true;
  return first.some((cell, i) => {
    if (cell.trim() === '' || glance(cell.trim()) !== 'text') return false;
    const below = filledOf(rest.map((row) => row[i] ?? ''));
    return below.length > 0 && below.every((one) => glance(one) !== 'text');
  });
}

/**
 * Guesses what each column of a file of people or groups means: by its header first, then by what stands in it. Each meaning is given once, to the
 * first column that fits; only login names and groups may come from several. A guess is shown and can be changed.
 *
 * @param samples some rows of the file, without the header
 */
export function guessColumns(
  kind: ImportKind,
  header: readonly string[],
  samples: readonly (readonly string[])[],
): ColumnMeaning[] {
  const possible = MEANINGS[kind].filter((meaning) => HEADERS[meaning]);
  const taken = new Set<ColumnMeaning>();
  const take = (meaning: ColumnMeaning): ColumnMeaning => {
    if (!REPEATABLE.has(meaning) && taken.has(meaning)) return 'nothing';
    taken.add(meaning);
    return meaning;
  };
  const shapes = header.map((_, i) => looksLike(samples.map((row) => row[i] ?? '')));
  const meanings = header.map((name) => {
    const meaning = possible.find((one) => HEADERS[one]!.test(fold(name)));
    return meaning ? take(meaning) : 'nothing';
  });
  if (kind === 'groups') return meanings;
  meanings.forEach((meaning, i) => {
    const shape = shapes[i];
    if (meaning === 'nothing' && shape) meanings[i] = take(shape);
  });
  // People have to be known by some login name: where no column says so, the mail address serves.
  if (!taken.has('login-name')) {
    const at = meanings.indexOf('mail');
    if (at >= 0) meanings[at] = 'mail-and-login-name';
  }
  // A display name beside its parts is enough.
  if (taken.has('name'))
    return meanings.map((meaning) => (meaning === 'given-name' || meaning === 'family-name' ? 'nothing' : meaning));
  return meanings;
}

/**
 * What a choice of columns lacks to be of use, or has too often; undefined where it will do.
 *
 * @param saidOfAll of a file of tokens: something was said of all of them, so that serial numbers alone correct what is in stock
 */
export function columnsLack(
  kind: ImportKind,
  columns: readonly ColumnMeaning[],
  saidOfAll = false,
): { readonly why: 'lacks' | 'twice'; readonly meaning: ColumnMeaning } | undefined {
  for (const meaning of columns) {
    const times = columns.filter((one) => one === meaning).length;
    if (times > 1 && !REPEATABLE.has(meaning)) return { why: 'twice', meaning };
  }
  const has = (...meanings: ColumnMeaning[]) => meanings.some((meaning) => columns.includes(meaning));
  if (has('drift') && has('drift-seconds')) return { why: 'twice', meaning: 'drift' };
  if (kind === 'tokens')
    return !has('serial')
      ? { why: 'lacks', meaning: 'serial' }
      : // Without secrets it is a list of who is to have which token of the stock, or of what is to be corrected.
        saidOfAll || has('secret', 'owner', 'model', 'drift-seconds', 'starts', 'expires', ...TOKEN_PARAMETERS)
        ? undefined
        : { why: 'lacks', meaning: 'secret' };
  if (kind === 'keys') {
    const needed = (['owner', 'credential-id', 'public-key'] as const).find((meaning) => !has(meaning));
    return needed && { why: 'lacks', meaning: needed };
  }
  if (kind === 'groups') return has('group') ? undefined : { why: 'lacks', meaning: 'group' };
  if (has('mail') && has('mail-and-login-name')) return { why: 'twice', meaning: 'mail' };
  return has('login-name', 'mail-and-login-name', 'reference') ? undefined : { why: 'lacks', meaning: 'login-name' };
}
