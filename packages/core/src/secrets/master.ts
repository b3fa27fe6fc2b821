import { aesGcmOpen, aesGcmSeal } from '../crypto/index.js';

/** The master key is 32 random bytes in a file outside the database. */
export const MASTER_KEY_BYTES = 32;

function identity(keyId: string, purpose: string): Buffer {
  return Buffer.from(`nimble-latch key ${keyId} ${purpose}`);
}

/**
 * Wraps the material of one key of the key set under the master key.
 *
 * @param nonce 12 random bytes
 * @returns nonce, cipher text and tag in one
 */
export function sealWithMaster(
  master: Uint8Array,
  nonce: Uint8Array,
  keyId: string,
  purpose: string,
  material: Uint8Array,
): Buffer {
  return Buffer.concat([nonce, aesGcmSeal(master, nonce, material, identity(keyId, purpose))]);
}

/** Reverses {@link sealWithMaster}; undefined when it is the wrong master key or the row was swapped or altered. */
export function openWithMaster(
  master: Uint8Array,
  sealed: Uint8Array,
  keyId: string,
  purpose: string,
): Buffer | undefined {
  return aesGcmOpen(master, sealed.subarray(0, 12), sealed.subarray(12), identity(keyId, purpose));
}
