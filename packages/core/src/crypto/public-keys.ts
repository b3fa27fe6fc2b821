import { constants, createHash, createPublicKey, verify, type KeyObject } from 'node:crypto';

/** A public key in its numbers, as JOSE (RFC 7518 §6, RFC 8037 §2) and COSE (RFC 9053 §7) share them. */
export type PublicNumbers =
  | {
      readonly kty: 'EC';
      readonly crv: 'P-256' | 'P-384' | 'P-521' | 'secp256k1';
      readonly x: Uint8Array;
      readonly y: Uint8Array;
    }
  | { readonly kty: 'OKP'; readonly crv: 'Ed25519' | 'Ed448'; readonly x: Uint8Array }
  | { readonly kty: 'RSA'; readonly n: Uint8Array; readonly e: Uint8Array };

/** How something is signed: the padding of RSA, or none, and the hash; Edwards curves have their own. */
export interface SignatureAlgorithm {
  readonly key: 'ec' | 'ed25519' | 'ed448' | 'rsa';
  readonly hash: 'sha1' | 'sha256' | 'sha384' | 'sha512' | null;
  readonly pss?: true;
}

const base64url = (bytes: Uint8Array): string => Buffer.from(bytes).toString('base64url');

/** The key of these numbers; undefined where they are no key, such as a point that is not on its curve. */
export function publicKeyOf(numbers: PublicNumbers): KeyObject | undefined {
  const { kty } = numbers;
  const key =
    kty === 'EC'
      ? { kty, crv: numbers.crv, x: base64url(numbers.x), y: base64url(numbers.y) }
      : kty === 'OKP'
        ? { kty, crv: numbers.crv, x: base64url(numbers.x) }
        : { kty, n: base64url(numbers.n), e: base64url(numbers.e) };
  try {
    return createPublicKey({ key, format: 'jwk' });
  } catch {
    return undefined;
  }
}

/**
 * Whether a signature was made over some bytes by a key. A key of another kind than the algorithm's has made none.
 *
 * @param form of ECDSA signatures: DER (RFC 3279 §2.2.3), or both numbers side by side (RFC 7518 §3.4)
 */
export function isSignedBy(
  key: KeyObject,
  { key: kind, hash, pss }: SignatureAlgorithm,
  bytes: Uint8Array,
  signature: Uint8Array,
  form: 'der' | 'ieee-p1363' = 'der',
): boolean {
  if (key.asymmetricKeyType !== kind) return false;
  const options = pss
    ? { key, padding: constants.RSA_PKCS1_PSS_PADDING, saltLength: constants.RSA_PSS_SALTLEN_DIGEST }
    : { key, dsaEncoding: form };
  try {
    return verify(hash, bytes, options, signature);
  } catch {
    return false;
  }
}

/** A hash by its name. */
export const hashOf = (name: 'sha1' | 'sha256' | 'sha384' | 'sha512', bytes: Uint8Array): Buffer =>
  createHash(name).update(bytes).digest();
