import { hint, LIMITS, type HintId } from '@nimble-latch/api';
import { readCertificate } from '@nimble-latch/core/crypto';
import { SERIAL_PATTERN } from '@nimble-latch/core/fields';
import { parseKeyUri } from '@nimble-latch/core/keyuri';
import {
  cellsOf,
  FileProblem,
  PskcReader,
  type FileKey,
  type FileToken,
  type OwnCertificate,
} from '@nimble-latch/core/tokenfiles';
import { badField, Refusal } from '../../platform/errors.js';
import type { FileRow } from './blocks.js';

/** What opens a file, as it comes in the header `nlatch-file-key`: `passphrase <base64url>` or `key <hexadecimal>`. */
export function fileKeyOf(header: string | undefined): FileKey | undefined {
  if (header === undefined) return undefined;
  const [kind, value = ''] = header.split(' ');
  if (kind === 'passphrase' && /^[\w-]{1,1000}$/.test(value))
    return { kind, passphrase: Buffer.from(value, 'base64url').toString('utf8') };
  if (kind === 'key' && /^(?:[0-9a-f]{2}){16,64}$/i.test(value))
    return { kind: 'pre-shared', key: Buffer.from(value, 'hex') };
  throw badField('header.nlatch-file-key', 'file-key');
}

/** The certificate of whoever signed a file, PEM, as it comes in the header `nlatch-file-signer`: base64url of PEM or DER. */
export function fileSignerOf(header: string | undefined): string | undefined {
  if (header === undefined) return undefined;
  const read =
    header.length <= 2 * LIMITS.senderBytes && /^[\w-]+$/.test(header)
      ? readCertificate(Buffer.from(header, 'base64url'))
      : undefined;
  if (!read) throw badField('header.nlatch-file-signer', 'file-signer');
  return read.pem;
}

const refusal = ({ what, line, facts }: FileProblem) =>
  new Refusal('key-file-unreadable', { what }, [
    { where: `line ${line}`, what: hint(`pskc-${what}` as HintId, facts) },
  ]);

/** The tokens of a key container, in the columns of files that are no tables; as they come, a piece at a time. */
export async function* pskcRows(
  pieces: AsyncIterable<string>,
  key: FileKey | readonly OwnCertificate[] | undefined,
  signer: string | undefined,
): AsyncGenerator<FileRow> {
  const ready: FileToken[] = [];
  try {
    const reader = new PskcReader(key, (token) => ready.push(token), signer);
    for await (const piece of pieces) {
      reader.write(piece);
      yield* ready.splice(0).map(rowOf);
    }
    reader.end();
    yield* ready.splice(0).map(rowOf);
  } catch (error) {
    throw error instanceof FileProblem ? refusal(error) : error;
  }
}

const rowOf = (token: FileToken): FileRow => ({ line: token.line, cells: cellsOf(token) });

/** Longest line of a file of key URIs. */
const LONGEST_LINE = 2_000;

/** Key URIs, one a line; the account is the serial number, unless one stands beside it, and the issuer the maker. */
export async function* keyUriRows(pieces: AsyncIterable<string>, onComment: () => void): AsyncGenerator<FileRow> {
  let rest = '';
  let line = 0;
  for await (const piece of pieces) {
    const lines = (rest + piece).split(/\r\n|\n|\r/);
    rest = lines.pop()!;
    if (rest.length > LONGEST_LINE) throw new Refusal('key-file-unreadable', { what: 'too-large' });
    for (const text of lines) yield* uriRows(text.trim(), ++line, onComment);
  }
  yield* uriRows(rest.trim(), line + 1, onComment);
}

function uriRows(text: string, line: number, onComment: () => void): FileRow[] {
  if (text === '') return [];
  if (!text.startsWith('#')) return [uriRow(text, line)];
  onComment();
  return [];
}

const BLANK: Omit<FileToken, 'line'> = {
  serial: undefined,
  maker: undefined,
  model: undefined,
  method: undefined,
  secret: undefined,
  algorithm: undefined,
  digits: undefined,
  period: undefined,
  t0: undefined,
  counter: undefined,
  drift: undefined,
  starts: undefined,
  expires: undefined,
  owner: undefined,
  problem: undefined,
  notHonoured: [],
};

function uriRow(uri: string, line: number): FileRow {
  const read = parseKeyUri(uri);
  if (!read.ok)
    return rowOf({
      ...BLANK,
      line,
      // A part of several words is of the address as a whole, which cannot be read.
      problem: read.where.includes(' ')
        ? { reason: 'value-broken' }
        : { reason: read.where === 'secret' ? 'value-broken' : 'uri-parameter', name: read.where },
    });
  const { issuer, account, key, serial, ignored, ...parameters } = read.value;
  const named = serial ?? account;
  return rowOf({
    ...BLANK,
    ...parameters,
    line,
    serial: named,
    maker: issuer,
    secret: Buffer.from(key),
    // With a number of its own, what the label says is whose it is.
    owner: serial !== undefined && account !== serial ? account : undefined,
    problem: SERIAL_PATTERN.test(named) ? undefined : { reason: 'account-no-serial' },
    notHonoured: ignored,
  });
}
