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

/** Attribute types that are written as numbers in some files, RFC 4514 §3 and what certificates of people have beside. */
const ATTRIBUTES: Readonly<Record<string, string>> = {
  '2.5.4.3': 'CN',
  '2.5.4.6': 'C',
  '2.5.4.7': 'L',
  '2.5.4.8': 'ST',
  '2.5.4.10': 'O',
  '2.5.4.11': 'OU',
  S: 'ST',
  E: 'EMAILADDRESS',
};

/** A distinguished name (RFC 4514, or a line for each part) as its parts: sorted, since some write it from the other end. */
function partsOf(name: string): string[] {
  const parts = name.match(/(?:\\[\s\S]|"(?:\\[\s\S]|[^"\\])*"|[^,;+\n\\"])+/g) ?? [];
  return parts
    .map((part) => {
      const at = part.indexOf('=');
      const type = part
        .slice(0, at)
        .trim()
        .toUpperCase()
        .replace(/^OID\./, '');
      const value = part
        .slice(at + 1)
        .trim()
        .replace(/^"([\s\S]*)"$/, '$1')
        .replace(/(?:\\[0-9a-f]{2})+/gi, (bytes) => Buffer.from(bytes.replaceAll('\\', ''), 'hex').toString())
        .replace(/\\([\s\S])/g, '$1');
      return at < 0 ? '' : `${ATTRIBUTES[type] ?? type}=${value.replace(/\s+/g, ' ').toLowerCase()}`;
    })
    .filter(Boolean)
    .sort();
}
const sameName = (a: string, b: string) => partsOf(a).length > 0 && partsOf(a).join('\n') === partsOf(b).join('\n');

/** Names under which somebody can mean a certificate (XML Signature 1.1 §4.5.4, and a key's own name, §4.5.1). */
export interface CertificateNames {
  /** A subject, a common name or a fingerprint, as people write it. */
  readonly keyName?: string | undefined;
  readonly subject?: string | undefined;
  readonly issuer?: string | undefined;
  /** Decimal; counts with the issuer only. */
  readonly serialNumber?: string | undefined;
}

/** Whether a certificate is meant by any of the names that are given. */
export function certificateNamed(der: Uint8Array, names: CertificateNames): boolean {
  const { subject, issuer, serialNumber, fingerprint, fingerprint256 } = new X509Certificate(der);
  const { keyName } = names;
  if (names.subject !== undefined && sameName(names.subject, subject)) return true;
  if (names.issuer !== undefined && names.serialNumber !== undefined)
    return (
      sameName(names.issuer, issuer) &&
      /^\d{1,50}$/.test(names.serialNumber) &&
      BigInt(names.serialNumber) === BigInt(`0x${serialNumber}`)
    );
  if (keyName === undefined) return false;
  const hex = keyName.replace(/[^0-9a-f]/gi, '').toUpperCase();
  return (
    sameName(keyName, subject) ||
    partsOf(subject).includes(`CN=${keyName.replace(/\s+/g, ' ').toLowerCase()}`) ||
    [fingerprint, fingerprint256].some((print) => print.replaceAll(':', '') === hex)
  );
}
