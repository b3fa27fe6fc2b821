import { decodeBase32 } from '../crypto/index.js';
import { SECRET_ENCODINGS, type SecretEncoding } from '../vocabulary.js';
import { base64Of } from './decrypt.js';

/** RFC 4226 §4 R6 asks for 128 bits; tokens of 80 are still about, and none has more than a block of SHA-512. */
export const SHORTEST_SECRET = 10;
export const LONGEST_SECRET = 128;

const READ: Readonly<Record<SecretEncoding, (text: string) => Uint8Array | undefined>> = {
  hex: (text) => (/^(?:[0-9a-f]{2})+$/i.test(text) ? Buffer.from(text, 'hex') : undefined),
  base32: (text) => (/^[A-Za-z2-7]+=*$/.test(text) ? decodeBase32(text) : undefined),
  base64: base64Of,
};

/** Without the spaces, hyphens and colons that people put between groups, and without the mark of hexadecimal. */
const bare = (text: string) => text.replace(/[\s:-]+/g, '').replace(/^0x(?=[0-9a-f]+$)/i, '');

/** A secret as it is said to be written; undefined where it is not written so. */
export const readSecret = (text: string, encoding: SecretEncoding): Uint8Array | undefined =>
  READ[encoding](bare(text));

/** Whether a secret is none: one byte over and over, as files have it where the secrets were taken out. */
export const isWeakSecret = (secret: Uint8Array): boolean => secret.every((byte) => byte === secret[0]);

/** Encodings that a text could be a secret of sensible length in, the strictest first. */
export function secretEncodings(text: string): SecretEncoding[] {
  const order: readonly SecretEncoding[] = ['hex', 'base32', 'base64'];
  return order.filter((encoding) => {
    const secret = readSecret(text, encoding);
    return secret !== undefined && secret.length >= SHORTEST_SECRET && secret.length <= LONGEST_SECRET;
  });
}

/** The encoding of a whole column: the strictest that all its cells can be read in; undefined where there is none. */
export function guessEncoding(cells: readonly string[]): SecretEncoding | undefined {
  const filled = cells.filter((cell) => cell.trim() !== '');
  if (filled.length === 0) return undefined;
  const possible = filled.map(secretEncodings);
  const all = (encoding: SecretEncoding) => possible.every((one) => one.includes(encoding));
  if (all('hex')) return 'hex';
  if (all('base32')) return 'base32';
  // What is written in hexadecimal or base32 is base64 too, and means something else.
  return possible.every((one) => one.length === 1 && one[0] === 'base64') ? 'base64' : undefined;
}

/** Whether a cell could be a secret, so that it is not shown. */
export const looksSecret = (text: string): boolean =>
  bare(text).length >= 16 &&
  !/^\d{1,30}$/.test(bare(text)) &&
  SECRET_ENCODINGS.some((one) => secretEncodings(text).includes(one));
