import { normaliseLoginName } from '../loginnames/index.js';
import { SERIAL_PATTERN } from '../people/fields.js';
import { readCell, type RowIssue } from '../tables/person-row.js';
import type { ColumnMeaning, OtpAlgorithm, RowReason, SecretEncoding } from '../vocabulary.js';
import { PLAIN_OWNERS, rewriteOwner, type OwnerRule } from './owner.js';
import type { FileToken } from './pskc.js';
import { LONGEST_SECRET, readSecret, secretEncodings, SHORTEST_SECRET } from './secrets.js';

/** One token as a row of a file has it. */
export interface TokenRow {
  readonly serial: string | undefined;
  readonly maker: string;
  readonly model: string;
  readonly method: 'totp' | 'hotp';
  readonly secret: Uint8Array | undefined;
  readonly algorithm: OtpAlgorithm;
  readonly digits: number;
  readonly period: number;
  readonly t0: number;
  readonly counter: number;
  readonly drift: number;
  readonly starts: string | undefined;
  readonly expires: string | undefined;
  /** Login name, normalised. */
  readonly owner: string | undefined;
  /** What its policy asks for and is not kept here. */
  readonly notHonoured: string;
}

/** What holds of a token of which a file does not say it. */
export interface TokenDefaults {
  readonly secrets: SecretEncoding;
  readonly method: 'totp' | 'hotp';
  /** How owners are named; as they stand unless said. */
  readonly owners?: OwnerRule;
}

export const MAKER_MAX = 60;

/** A token of a file that is no table, as cells in the order of {@link TOKEN_FILE_COLUMNS}; its secret in hexadecimal. */
export const cellsOf = (token: FileToken): string[] => [
  token.serial ?? '',
  token.secret?.toString('hex') ?? '',
  token.maker ?? '',
  token.model ?? '',
  token.method ?? '',
  token.algorithm,
  String(token.digits),
  String(token.period),
  String(token.t0),
  String(token.counter),
  String(token.drift),
  token.starts ?? '',
  token.expires ?? '',
  token.owner ?? '',
  token.notHonoured.join(', '),
  token.problem ?? '',
];

/** Reads one row. Every bound is that of the standards, or of what is known to be made. */
export function readTokenRow(
  cells: readonly string[],
  columns: readonly ColumnMeaning[],
  defaults: TokenDefaults,
): { readonly row: TokenRow; readonly issues: readonly RowIssue[] } {
  const issues: RowIssue[] = [];
  const refuse = (column: number | null, reason: RowReason, facts?: RowIssue['facts']) =>
    void issues.push({ column, reason, ...(facts ? { facts } : {}) });
  if (cells.length !== columns.length) refuse(null, 'row-length', { cells: cells.length, columns: columns.length });
  const at = (meaning: ColumnMeaning) => columns.indexOf(meaning);
  const said = (meaning: ColumnMeaning): string => (at(meaning) < 0 ? '' : readCell(cells[at(meaning)] ?? ''));
  const problem = said('problem');
  if (problem !== '') refuse(null, problem as RowReason);

  const number = (meaning: ColumnMeaning, otherwise: number, least: number, most: number): number => {
    const text = said(meaning);
    if (text === '') return otherwise;
    const value = /^-?\d{1,16}$/.test(text) ? Number(text) : NaN;
    if (value >= least && value <= most) return value;
    refuse(at(meaning), 'not-a-number', { least, most });
    return otherwise;
  };
  const day = (meaning: ColumnMeaning): string | undefined => {
    const text = said(meaning);
    if (text === '') return undefined;
    const found = dayOf(text);
    if (found === undefined) refuse(at(meaning), 'not-a-day');
    return found;
  };
  const line = (meaning: ColumnMeaning): string => {
    const text = said(meaning);
    if ([...text].length <= MAKER_MAX) return text;
    refuse(at(meaning), 'too-long', { most: MAKER_MAX });
    return '';
  };
  const serial = said('serial');
  if (serial === '') refuse(at('serial') < 0 ? null : at('serial'), 'missing');
  else if (!SERIAL_PATTERN.test(serial)) refuse(at('serial'), 'serial-shape');
  const kind = said('kind');
  const method =
    methodOf(kind) ?? (said('counter') !== '' && kind === '' && at('period') < 0 ? 'hotp' : defaults.method);
  if (kind !== '' && methodOf(kind) === undefined) refuse(at('kind'), 'kind-unknown');
  const algorithm = algorithmOf(said('algorithm'));
  if (!algorithm) refuse(at('algorithm'), 'algorithm-unknown');
  const owner = rewriteOwner(said('owner'), defaults.owners ?? PLAIN_OWNERS);
  const login = owner === '' ? undefined : normaliseLoginName(owner);
  if (login && !login.ok) refuse(at('owner'), 'unknown-person');
  return {
    row: {
      serial: serial === '' ? undefined : serial,
      maker: line('maker'),
      model: line('model'),
      method,
      // A list of who has which token says nothing of secrets.
      secret:
        problem === '' && at('secret') >= 0
          ? secretOf(said('secret'), defaults.secrets, at('secret'), refuse)
          : undefined,
      algorithm: algorithm ?? 'SHA1',
      digits: number('digits', 6, 6, 8),
      period: number('period', 30, 15, 120),
      t0: number('t0', 0, 0, 4_294_967_295),
      counter: number('counter', 0, 0, Number.MAX_SAFE_INTEGER - 10_000),
      drift: number('drift', 0, -2_880, 2_880),
      starts: day('starts'),
      expires: day('expires'),
      owner: login?.ok ? login.value : undefined,
      notHonoured: said('not-honoured').slice(0, 200),
    },
    issues,
  };
}

function secretOf(
  text: string,
  encoding: SecretEncoding,
  column: number,
  refuse: (column: number | null, reason: RowReason, facts?: RowIssue['facts']) => void,
): Uint8Array | undefined {
  if (text === '') {
    refuse(column < 0 ? null : column, 'missing');
    return undefined;
  }
  const secret = readSecret(text, encoding);
  const [looks] = secretEncodings(text);
  // Letters and digits of base64 that all happen to be those of a stricter encoding are that encoding.
  if (!secret || (encoding === 'base64' && looks !== undefined && looks !== 'base64')) {
    refuse(column, 'secret-encoding', { said: encoding, looks: looks ?? '?' });
    return undefined;
  }
  if (secret.length < SHORTEST_SECRET || secret.length > LONGEST_SECRET) {
    refuse(column, 'secret-length', { bytes: secret.length, least: SHORTEST_SECRET, most: LONGEST_SECRET });
    return undefined;
  }
  return secret;
}

function methodOf(kind: string): 'totp' | 'hotp' | undefined {
  if (/^(?:totp|time|time-based|zeit|zeitbasiert)$/i.test(kind)) return 'totp';
  return /^(?:hotp|event|counter|event-based|zähler|ereignis)$/i.test(kind) ? 'hotp' : undefined;
}

function algorithmOf(text: string): OtpAlgorithm | undefined {
  if (text === '') return 'SHA1';
  const bits = /^(?:hmac-?)?sha-?(1|256|512)$/i.exec(text)?.[1];
  return bits === undefined ? undefined : (`SHA${bits}` as OtpAlgorithm);
}

/** Days that were read: a box has few, and reading one costs more than the rest of its row. */
const days = new Map<string, string | undefined>();
const MOST_DAYS = 1_000;

/** A day as files write it: 2031-12-31, with a time behind it, or 31.12.2031. */
function dayOf(text: string): string | undefined {
  if (days.has(text)) return days.get(text);
  const day = readDay(text);
  if (days.size < MOST_DAYS && text.length < 40) days.set(text, day);
  return day;
}

function readDay(text: string): string | undefined {
  const iso = /^(\d{4})-(\d{2})-(\d{2})(?:[T ].*)?$/.exec(text);
  const dotted = /^(\d{1,2})\.(\d{1,2})\.(\d{4})$/.exec(text);
  const [year, month, date] = iso ? iso.slice(1) : dotted ? [dotted[3], dotted[2], dotted[1]] : [];
  if (year === undefined) return undefined;
  const day = `${year}-${month!.padStart(2, '0')}-${date!.padStart(2, '0')}`;
  const parsed = new Date(`${day}T00:00:00Z`);
  return !Number.isNaN(parsed.getTime()) && parsed.toISOString().startsWith(day) ? day : undefined;
}
