import { normaliseLoginName } from '../loginnames/index.js';
import { SERIAL_PATTERN } from '../people/fields.js';
import { readCell, type RowIssue } from '../tables/person-row.js';
import type { ColumnMeaning, OtpAlgorithm, RowReason, SecretEncoding, TokenParameter } from '../vocabulary.js';
import { PLAIN_OWNERS, rewriteOwner, type OwnerRule } from './owner.js';
import type { FileToken } from './pskc.js';
import { isWeakSecret, LONGEST_SECRET, readSecret, secretEncodings, SHORTEST_SECRET } from './secrets.js';
import { readAlgorithm, readDay, readKind, readWhole } from './values.js';

/** What the codes of a token are computed with, and where it stands. */
export interface TokenParameters {
  readonly method: 'totp' | 'hotp';
  readonly algorithm: OtpAlgorithm;
  readonly digits: number;
  /** Seconds. */
  readonly period: number;
  /** Seconds since 1970. */
  readonly t0: number;
  /** The next one. */
  readonly counter: number;
  /** Steps by which its clock is ahead. */
  readonly drift: number;
}

/** One token as a row of a file has it. */
export interface TokenRow extends TokenParameters {
  readonly serial: string | undefined;
  readonly maker: string;
  readonly model: string;
  readonly secret: Uint8Array | undefined;
  readonly starts: string | undefined;
  readonly expires: string | undefined;
  /** Login name, normalised. */
  readonly owner: string | undefined;
  /** What its policy asks for and is not kept here. */
  readonly notHonoured: string;
  /** The parameters that the row, or what was said of the whole file, says; the others are assumed. */
  readonly said: readonly TokenParameter[];
}

/** What was said of a whole file; what is null was not. */
export interface WholeFile {
  readonly kind: 'totp' | 'hotp' | null;
  readonly algorithm: OtpAlgorithm | null;
  readonly digits: number | null;
  readonly period: number | null;
}

export const NOTHING_SAID: WholeFile = { kind: null, algorithm: null, digits: null, period: null };

/** What holds of a token of which a file does not say it. */
export interface TokenDefaults {
  readonly secrets: SecretEncoding;
  /** What somebody said of all its tokens; a cell that says otherwise is refused. */
  readonly whole?: WholeFile;
  /** How owners are named; as they stand unless said. */
  readonly owners?: OwnerRule;
}

/** RFC 4226 §5.3, RFC 6238 §5.2 and what is made after them. */
const ASSUMED: TokenParameters = {
  method: 'totp',
  algorithm: 'SHA1',
  digits: 6,
  period: 30,
  t0: 0,
  counter: 0,
  drift: 0,
};
/** A day, in steps of 30 seconds: no clock that anybody would still carry about is further off. */
export const MOST_DRIFT = 2_880;

export const MAKER_MAX = 60;

/** A token of a file that is no table, as cells in the order of {@link TOKEN_FILE_COLUMNS}; its secret in hexadecimal. */
export const cellsOf = (token: FileToken): string[] => [
  token.serial ?? '',
  token.secret?.toString('hex') ?? '',
  token.maker ?? '',
  token.model ?? '',
  token.method ?? '',
  ...[token.algorithm, token.digits, token.period, token.t0, token.counter, token.drift].map((said) => `${said ?? ''}`),
  token.starts ?? '',
  token.expires ?? '',
  token.owner ?? '',
  token.notHonoured.join(', '),
  // Which part it is about stands behind the reason.
  token.problem === undefined ? '' : `${token.problem.reason} ${token.problem.name ?? ''}`.trim(),
];

/** Reads one row. Every bound is that of the standards, or of what is known to be made. */
export function readTokenRow(
  cells: readonly string[],
  columns: readonly ColumnMeaning[],
  { secrets, whole = NOTHING_SAID, owners = PLAIN_OWNERS }: TokenDefaults,
): { readonly row: TokenRow; readonly issues: readonly RowIssue[] } {
  const issues: RowIssue[] = [];
  const refuse = (column: number | null, reason: RowReason, facts?: RowIssue['facts']) =>
    void issues.push({ column, reason, ...(facts ? { facts } : {}) });
  if (cells.length !== columns.length) refuse(null, 'row-length', { cells: cells.length, columns: columns.length });
  const at = (meaning: ColumnMeaning) => columns.indexOf(meaning);
  const textAt = (meaning: ColumnMeaning): string => (at(meaning) < 0 ? '' : readCell(cells[at(meaning)] ?? ''));
  const [problem = '', name] = textAt('problem').split(' ');
  if (problem !== '') refuse(null, problem as RowReason, name === undefined ? undefined : { name });

  const said: TokenParameter[] = [];
  /** What a cell says and what was said of the whole file; where both do they must agree. */
  const settled = <T extends string | number>(
    what: TokenParameter,
    cell: T | undefined,
    all: T | null,
  ): T | undefined => {
    if (cell === undefined && all === null) return undefined;
    said.push(what);
    if (cell !== undefined && all !== null && cell !== all) refuse(at(what), 'said-otherwise', { cell, said: all });
    return cell ?? all!;
  };
  const number = (meaning: ColumnMeaning, least: number, most: number): number | undefined => {
    const text = textAt(meaning);
    if (text === '') return undefined;
    const value = readWhole(text);
    if (value !== undefined && value >= least && value <= most) return value;
    refuse(at(meaning), 'not-a-number', { least, most });
    return undefined;
  };
  const word = <T>(meaning: ColumnMeaning, read: (text: string) => T | undefined, reason: RowReason): T | undefined => {
    const text = textAt(meaning);
    const found = text === '' ? undefined : read(text);
    if (text !== '' && found === undefined) refuse(at(meaning), reason);
    return found;
  };
  const line = (meaning: ColumnMeaning): string => {
    const text = textAt(meaning);
    if ([...text].length <= MAKER_MAX) return text;
    refuse(at(meaning), 'too-long', { most: MAKER_MAX });
    return '';
  };
  const serial = textAt('serial');
  // What could not be read whole has its reason already.
  if (problem === '') {
    if (serial === '') refuse(at('serial') < 0 ? null : at('serial'), 'missing');
    else if (!SERIAL_PATTERN.test(serial)) refuse(at('serial'), 'serial-shape');
  }
  const kind = settled('kind', word('kind', readKind, 'kind-unknown'), whole.kind);
  const algorithm = settled('algorithm', word('algorithm', readAlgorithm, 'algorithm-unknown'), whole.algorithm);
  const digits = settled('digits', number('digits', 6, 8), whole.digits);
  const period = settled('period', number('period', 15, 120), whole.period);
  const t0 = settled('t0', number('t0', 0, 4_294_967_295), null);
  const counter = settled('counter', number('counter', 0, Number.MAX_SAFE_INTEGER - 10_000), null);
  const clock = period ?? ASSUMED.period;
  const ahead = number('drift-seconds', -MOST_DRIFT * clock, MOST_DRIFT * clock);
  const drift = settled(
    'drift',
    number('drift', -MOST_DRIFT, MOST_DRIFT) ?? (ahead === undefined ? undefined : Math.round(ahead / clock)),
    null,
  );
  // A counter, and nothing of clocks: that is what it is.
  const counts = kind === undefined && counter !== undefined && at('period') < 0 && whole.period === null;
  if (counts) said.push('kind');
  const owner = rewriteOwner(textAt('owner'), owners);
  const login = owner === '' ? undefined : normaliseLoginName(owner);
  if (login && !login.ok) refuse(at('owner'), 'unknown-person');
  const row: TokenRow = {
    serial: serial === '' ? undefined : serial,
    maker: line('maker'),
    model: line('model'),
    method: kind ?? (counts ? 'hotp' : ASSUMED.method),
    algorithm: algorithm ?? ASSUMED.algorithm,
    digits: digits ?? ASSUMED.digits,
    period: clock,
    t0: t0 ?? ASSUMED.t0,
    counter: counter ?? ASSUMED.counter,
    drift: drift ?? ASSUMED.drift,
    // A list of who has which token says nothing of secrets.
    secret: problem === '' && at('secret') >= 0 ? secretOf(textAt('secret'), secrets, at('secret'), refuse) : undefined,
    starts: word('starts', readDay, 'not-a-day'),
    expires: word('expires', readDay, 'not-a-day'),
    owner: login?.ok ? login.value : undefined,
    notHonoured: textAt('not-honoured').slice(0, 200),
    said,
  };
  return { row, issues };
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
  // Letters and digits of base64 that all happen to be those of a stricter encoding are that encoding.
  const [looks] = secret && encoding !== 'base64' ? [encoding] : secretEncodings(text);
  if (!secret || (encoding === 'base64' && looks !== undefined && looks !== 'base64')) {
    if (looks === undefined) refuse(column, 'secret-form');
    else refuse(column, 'secret-encoding', { said: encoding, looks });
    return undefined;
  }
  if (secret.length < SHORTEST_SECRET || secret.length > LONGEST_SECRET) {
    refuse(column, 'secret-length', { bytes: secret.length, least: SHORTEST_SECRET, most: LONGEST_SECRET });
    return undefined;
  }
  if (isWeakSecret(secret)) refuse(column, 'secret-weak');
  return secret;
}
