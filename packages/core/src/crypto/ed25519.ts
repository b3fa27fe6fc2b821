import { createPrivateKey, createPublicKey, sign, verify, type KeyObject } from 'node:crypto';

/** PKCS #8 wrapping of a raw Ed25519 seed: RFC 8410 §7, the fixed part before the 32 bytes. */
const PKCS8_PREFIX = Buffer.from('302e020100300506032b657004220420', 'hex');

/** The private key that belongs to a 32-byte seed (RFC 8032 §5.1.5). */
export function ed25519FromSeed(seed: Uint8Array): KeyObject {
  if (seed.length !== 32) throw new RangeError(`seed: expected 32 bytes, got ${seed.length}`);
  return createPrivateKey({ key: Buffer.concat([PKCS8_PREFIX, seed]), format: 'der', type: 'pkcs8' });
}

/** The public half as SubjectPublicKeyInfo in PEM, for keeping where the database is not. */
export function ed25519PublicKeyPem(privateKey: KeyObject): string {
  return createPublicKey(privateKey).export({ format: 'pem', type: 'spki' }).toString();
}

/** Signs; 64 bytes. */
export function ed25519Sign(privateKey: KeyObject, message: Uint8Array): Buffer {
  return sign(null, message, privateKey);
}

/** False for a wrong signature and for a key that is no Ed25519 public key. */
export function ed25519Verify(publicKeyPem: string, message: Uint8Array, signature: Uint8Array): boolean {
  try {
    const key = createPublicKey(publicKeyPem);
    return key.asymmetricKeyType === 'ed25519' && verify(null, message, key, signature);
  } catch {
    return false;
  }
}
