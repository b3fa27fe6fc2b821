import { AsnConvert } from '@peculiar/asn1-schema';
import {
  BasicConstraints,
  Certificate,
  ExtendedKeyUsage,
  KeyUsage,
  KeyUsageFlags,
  SubjectAlternativeName,
  type GeneralName,
  type Name,
} from '@peculiar/asn1-x509';
import { hashOf, openCertificate, type OpenedCertificate } from '../../crypto/index.js';

/** Certificates longer than this are none of an authenticator's. */
const LONGEST = 16_384;
/** Extensions that are understood when they are critical, RFC 5280 §4.2. */
const [KEY_USAGE, ALT_NAME, BASIC, EXTENDED] = ['2.5.29.15', '2.5.29.17', '2.5.29.19', '2.5.29.37'];
const UNDERSTOOD: ReadonlySet<string> = new Set([KEY_USAGE, ALT_NAME, BASIC, EXTENDED]);

/** A certificate of an attestation, with what the formats ask of it. */
export interface AttestationCertificate extends Pick<OpenedCertificate, 'key' | 'notBefore' | 'notAfter'> {
  readonly der: Uint8Array;
  readonly opened: OpenedCertificate;
  /** 1 to 3, as people count them. */
  readonly version: number;
  /** Values of the subject by the identifiers of their types. */
  readonly subject: ReadonlyMap<string, string>;
  readonly subjectParts: number;
  readonly isAuthority: boolean;
  /** How many authorities may come between it and a leaf; undefined where it does not say. */
  readonly pathLength: number | undefined;
  /** Its key may sign certificates, or its uses are not limited. */
  readonly signsCertificates: boolean;
  readonly usages: readonly string[];
  /** Of its alternative names the directory names, as the subject. */
  readonly otherNames: ReadonlyMap<string, string>;
  /** SHA-1 of its public key, RFC 5280 §4.2.1.2 (1), in hexadecimal: by it models of U2F are known. */
  readonly keyIdentifier: string;
  /** Its critical extensions are all understood. */
  readonly isUnderstood: boolean;
  extension(oid: string): { readonly critical: boolean; readonly value: Uint8Array } | undefined;
}

/** Reads a certificate in DER, RFC 5280; undefined for anything else. */
export function readAttestationCertificate(der: unknown): AttestationCertificate | undefined {
  if (!(der instanceof Uint8Array) || der.length > LONGEST) return undefined;
  const opened = openCertificate(der);
  if (!opened) return undefined;
  try {
    return made(der, opened, AsnConvert.parse(der, Certificate));
  } catch {
    // The package throws errors of many kinds over what it cannot read; none of them tells more than that.
    return undefined;
  }
}

function made(der: Uint8Array, opened: OpenedCertificate, certificate: Certificate): AttestationCertificate {
  const { version, subject, subjectPublicKeyInfo, extensions = [] } = certificate.tbsCertificate;
  const found = new Map(
    [...extensions].map(({ extnID, critical, extnValue }) => [
      extnID,
      { critical, value: new Uint8Array(extnValue.buffer) },
    ]),
  );
  if (found.size !== extensions.length) throw new TypeError('an extension twice');
  const read = <T>(oid: string, type: new () => T): T | undefined => {
    const one = found.get(oid);
    return one && AsnConvert.parse(one.value, type);
  };
  const basic = read(BASIC, BasicConstraints);
  const usage = read(KEY_USAGE, KeyUsage);
  const names = read(ALT_NAME, SubjectAlternativeName) ?? [];
  return {
    der,
    opened,
    key: opened.key,
    notBefore: opened.notBefore,
    notAfter: opened.notAfter,
    version: version + 1,
    subject: valuesOf(subject),
    subjectParts: subject.length,
    isAuthority: basic?.cA === true,
    pathLength: basic?.pathLenConstraint,
    signsCertificates: usage === undefined || (usage.toNumber() & KeyUsageFlags.keyCertSign) !== 0,
    usages: [...(read(EXTENDED, ExtendedKeyUsage) ?? [])],
    otherNames: new Map(
      [...names].flatMap((name: GeneralName) => (name.directoryName ? [...valuesOf(name.directoryName)] : [])),
    ),
    keyIdentifier: hashOf('sha1', new Uint8Array(subjectPublicKeyInfo.subjectPublicKey)).toString('hex'),
    isUnderstood: [...found].every(([oid, { critical }]) => !critical || UNDERSTOOD.has(oid)),
    extension: (oid) => found.get(oid),
  };
}

const valuesOf = (name: Name): Map<string, string> =>
  new Map([...name].flatMap((part) => [...part].map(({ type, value }) => [type, value.toString()] as const)));
