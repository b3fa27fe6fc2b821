import { isSignedBy, type SignatureAlgorithm } from '../../crypto/index.js';
import type { AttestedCredential, AuthenticatorData } from '../authenticator-data.js';
import type { Cbor, CborMap } from '../cbor.js';
import { signatureAlgorithm, type CoseKey } from '../cose.js';
import { must } from '../refused.js';
import { readAttestationCertificate, type AttestationCertificate } from './certificate.js';

/** What an attestation is about. */
export interface Attested {
  readonly authData: AuthenticatorData;
  readonly attested: AttestedCredential;
  readonly key: CoseKey;
  readonly clientDataHash: Uint8Array;
}

/**
 * What an attestation says, WebAuthn Level 3 §6.5.3: nothing; that the credential's own key signed; or that a key of the maker's did,
 * with its certificate, whom to trust being another question.
 */
export interface Attestation {
  readonly format: string;
  readonly kind: 'none' | 'self' | 'certified';
  /** Certificates in DER, the one that signed first; empty unless it is certified. */
  readonly chain: readonly Uint8Array[];
}

/** More certificates than any maker's chain has. */
const LONGEST_CHAIN = 8;

/** A statement is a map of exactly these members. */
export function membersOf(
  statement: Cbor,
  step: string,
  needed: readonly string[],
  others: readonly string[] = [],
): CborMap {
  must(statement instanceof Map, step, 'attestation-malformed');
  const map = statement as CborMap;
  must(
    needed.every((name) => map.has(name)),
    step,
    'attestation-malformed',
  );
  must(
    [...map.keys()].every((name) => typeof name === 'string' && (needed.includes(name) || others.includes(name))),
    step,
    'attestation-malformed',
  );
  return map;
}

export function bytesOf(map: CborMap, name: string, step: string): Uint8Array {
  const value = map.get(name);
  must(value instanceof Uint8Array, step, 'attestation-malformed');
  return value;
}

/** `alg`. @param rs1 whether SHA-1 is still taken */
export function algorithmOf(map: CborMap, step: string, rs1 = false): SignatureAlgorithm {
  const algorithm = map.get('alg');
  const scheme = typeof algorithm === 'number' ? signatureAlgorithm(algorithm, rs1) : undefined;
  must(scheme !== undefined, step, 'attestation-malformed');
  return scheme;
}

/** `x5c`: every certificate is one; the first is the one that signed. */
export function certificatesOf(
  map: CborMap,
  step: string,
): readonly [AttestationCertificate, ...AttestationCertificate[]] {
  const x5c = map.get('x5c');
  must(Array.isArray(x5c) && x5c.length > 0 && x5c.length <= LONGEST_CHAIN, step, 'attestation-malformed');
  const certificates = (x5c as readonly Cbor[]).map((der) => {
    const certificate = readAttestationCertificate(der);
    must(certificate !== undefined, step, 'attestation-certificate');
    return certificate;
  });
  return certificates as unknown as readonly [AttestationCertificate, ...AttestationCertificate[]];
}

export const signedBy = (
  { key }: AttestationCertificate,
  scheme: SignatureAlgorithm,
  bytes: Uint8Array,
  signature: Uint8Array,
  step: string,
): void => must(isSignedBy(key, scheme, bytes, signature), step, 'attestation-signature');

/** What most formats sign: the authenticator data followed by the hash of the client data. */
export const toBeSigned = ({ authData, clientDataHash }: Attested): Buffer =>
  Buffer.concat([authData.bytes, clientDataHash]);

export const certified = (format: string, chain: readonly AttestationCertificate[]): Attestation => ({
  format,
  kind: 'certified',
  chain: chain.map(({ der }) => der),
});

/** id-fido-gen-ce-aaguid, §8.2.1: an OCTET STRING of 16 bytes, not critical; where it is there it names the model. */
const AAGUID = '1.3.6.1.4.1.45724.1.1.4';
export function assertAaguid(certificate: AttestationCertificate, { attested }: Attested, step: string): void {
  const extension = certificate.extension(AAGUID);
  if (!extension) return;
  must(!extension.critical, step, 'attestation-certificate');
  must(
    Buffer.compare(extension.value, Buffer.concat([Buffer.from([4, 16]), attested.aaguid])) === 0,
    step,
    'attestation-mismatch',
  );
}
