import { createHash, verify, X509Certificate, type Hash } from 'node:crypto';

/** How something was signed: RSASSA-PKCS1-v1_5 (RFC 8017 §8.2) or ECDSA (FIPS 186-5 §6), over a hash. */
export interface SignatureScheme {
  readonly kind: 'rsa' | 'ecdsa';
  readonly hash: 'sha256' | 'sha384' | 'sha512';
}

/** A hash that is fed piece by piece. */
export const hashing = (name: SignatureScheme['hash']): Hash => createHash(name);

/** Shortest RSA key that is believed, in bits; NIST SP 800-131A. */
const LEAST_RSA_BITS = 2_048;

/**
 * Whether a signature was made by the key of a certificate. One whose key is of another kind, or too short, has made none.
 *
 * @param signature of RSA as it is; of ECDSA r and s beside each other, as XML Signature 1.1 §6.4.3 has them
 */
export function verifySigned(
  certificatePem: string,
  { kind, hash }: SignatureScheme,
  message: Uint8Array,
  signature: Uint8Array,
): boolean {
  try {
    const { publicKey: key } = new X509Certificate(certificatePem);
    const { asymmetricKeyType: type, asymmetricKeyDetails: details } = key;
    if (type !== (kind === 'rsa' ? 'rsa' : 'ec')) return false;
    if (kind === 'rsa') return details!.modulusLength! >= LEAST_RSA_BITS && verify(hash, message, key, signature);
    return verify(hash, message, { key, dsaEncoding: 'ieee-p1363' }, signature);
  } catch {
    return false;
  }
}

/** A certificate as somebody sent it, PEM or DER; undefined for anything else. */
export function readCertificate(
  bytes: Uint8Array,
): { readonly pem: string; readonly der: Buffer; readonly subject: string; readonly fingerprint: string } | undefined {
  try {
    const certificate = new X509Certificate(bytes);
    const { raw, subject, fingerprint256 } = certificate;
    return { pem: certificate.toString(), der: raw, subject, fingerprint: fingerprint256 };
  } catch {
    return undefined;
  }
}
