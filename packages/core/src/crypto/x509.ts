import { X509Certificate, type KeyObject } from 'node:crypto';

/** What node tells of a certificate, RFC 5280. */
export interface OpenedCertificate {
  readonly key: KeyObject;
  readonly notBefore: number;
  readonly notAfter: number;
  /** Whether another certificate says it was issued by the subject of this one, and its signature was made by this one's key. */
  issued(other: OpenedCertificate): boolean;
}

class Opened implements OpenedCertificate {
  readonly #certificate: X509Certificate;
  readonly key: KeyObject;

  constructor(certificate: X509Certificate) {
    this.#certificate = certificate;
    this.key = certificate.publicKey;
  }
  get notBefore(): number {
    return Date.parse(this.#certificate.validFrom);
  }
  get notAfter(): number {
    return Date.parse(this.#certificate.validTo);
  }
  issued(other: OpenedCertificate): boolean {
    const { key } = this;
    if (!(other instanceof Opened)) return false;
    try {
      return other.#certificate.checkIssued(this.#certificate) && other.#certificate.verify(key);
    } catch {
      return false;
    }
  }
}

/** Opens a certificate in DER, to its last byte; undefined for anything else, and for keys that node does not know. */
export function openCertificate(der: Uint8Array): OpenedCertificate | undefined {
  try {
    const certificate = new X509Certificate(der);
    return certificate.raw.equals(der) ? new Opened(certificate) : undefined;
  } catch {
    return undefined;
  }
}
