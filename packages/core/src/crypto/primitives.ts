import { createCipheriv, createDecipheriv, createHash, createHmac, timingSafeEqual } from 'node:crypto';

export type HmacHash = 'sha1' | 'sha256' | 'sha512';

/** HMAC, RFC 2104. */
export function hmac(hash: HmacHash, key: Uint8Array, message: Uint8Array | string): Buffer {
  return createHmac(hash, key).update(message).digest();
}

/** SHA-256, 32 bytes. */
export function sha256(message: Uint8Array | string): Buffer {
  return createHash('sha256').update(message).digest();
}

/**
 * Compares in time that does not depend on where the two differ. Unequal lengths answer false at once:
 * lengths are never secret here.
 */
export function constantTimeEqual(a: Uint8Array, b: Uint8Array): boolean {
  return a.length === b.length && timingSafeEqual(a, b);
}

/**
 * AES-256-GCM, NIST SP 800-38D.
 *
 * @param nonce 12 bytes, never used twice with the same key
 * @param associated bound to the result, not contained in it
 * @returns cipher text followed by the 16-byte tag
 */
export function aesGcmSeal(key: Uint8Array, nonce: Uint8Array, plain: Uint8Array, associated: Uint8Array): Buffer {
  const cipher = createCipheriv('aes-256-gcm', key, nonce, { authTagLength: 16 });
  cipher.setAAD(associated);
  return Buffer.concat([cipher.update(plain), cipher.final(), cipher.getAuthTag()]);
}

/** Reverses {@link aesGcmSeal}; undefined when key, nonce, associated data or any byte differ. */
export function aesGcmOpen(
  key: Uint8Array,
  nonce: Uint8Array,
  sealed: Uint8Array,
  associated: Uint8Array,
): Buffer | undefined {
  if (sealed.length < 16) return undefined;
  const decipher = createDecipheriv('aes-256-gcm', key, nonce, { authTagLength: 16 });
  decipher.setAAD(associated);
  decipher.setAuthTag(sealed.subarray(sealed.length - 16));
  try {
    return Buffer.concat([decipher.update(sealed.subarray(0, sealed.length - 16)), decipher.final()]);
  } catch {
    return undefined;
  }
}
