import { hmac, type HmacHash } from '../crypto/index.js';
import type { OtpAlgorithm } from '../vocabulary.js';

/** What a one-time code is computed with, beside the counter. */
export interface HotpParameters {
  readonly algorithm: OtpAlgorithm;
  /** 6 to 8 (RFC 4226 §5.3 requires at least 6). */
  readonly digits: number;
}

const HASHES: Readonly<Record<OtpAlgorithm, HmacHash>> = { SHA1: 'sha1', SHA256: 'sha256', SHA512: 'sha512' };

/**
 * HOTP(K, C) = Truncate(HMAC(K, C)), RFC 4226 §5.3; with SHA-256 and SHA-512 as RFC 6238 §1.2 allows.
 *
 * @param key the shared secret K, raw bytes
 * @param counter the moving factor C, 0 to 2^53 - 1
 * @returns the code, padded with zeros to `digits`
 */
export function hotp(key: Uint8Array, counter: number, { algorithm, digits }: HotpParameters): string {
  if (!Number.isSafeInteger(counter) || counter < 0) throw new RangeError('counter: expected 0 to 2^53 - 1');
  if (!Number.isInteger(digits) || digits < 6 || digits > 8) throw new RangeError('digits: expected 6 to 8');
  const message = Buffer.alloc(8);
  message.writeBigUInt64BE(BigInt(counter));
  const HS = hmac(HASHES[algorithm], key, message);
  // Dynamic truncation: the low nibble of the last byte is the offset; the sign bit is masked off.
  const offset = HS[HS.length - 1]! & 0x0f;
  const Snum = HS.readUInt32BE(offset) & 0x7fffffff;
  return String(Snum % 10 ** digits).padStart(digits, '0');
}
