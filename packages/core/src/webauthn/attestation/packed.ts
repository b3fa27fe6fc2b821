import { isSignedBy } from '../../crypto/index.js';
import type { Cbor } from '../cbor.js';
import { must } from '../refused.js';
import type { AttestationCertificate } from './certificate.js';
import {
  algorithmOf,
  assertAaguid,
  bytesOf,
  certificatesOf,
  certified,
  membersOf,
  signedBy,
  toBeSigned,
  type Attestation,
  type Attested,
} from './statement.js';

const STEP = '8.2';

/** WebAuthn Level 3 §8.2: what most authenticators make. */
export function packed(statement: Cbor, about: Attested): Attestation {
  const map = membersOf(statement, STEP, ['alg', 'sig'], ['x5c']);
  const scheme = algorithmOf(map, STEP);
  const signature = bytesOf(map, 'sig', STEP);
  if (!map.has('x5c')) {
    // Self attestation: by the credential's own key and algorithm.
    must(map.get('alg') === about.key.algorithm, STEP, 'attestation-mismatch');
    must(isSignedBy(about.key.key, scheme, toBeSigned(about), signature), STEP, 'attestation-signature');
    return { format: 'packed', kind: 'self', chain: [] };
  }
  const chain = certificatesOf(map, STEP);
  signedBy(chain[0], scheme, toBeSigned(about), signature, STEP);
  assertPackedCertificate(chain[0]);
  assertAaguid(chain[0], about, '8.2.1');
  return certified('packed', chain);
}

const [COUNTRY, ORGANISATION, UNIT, COMMON] = ['2.5.4.6', '2.5.4.10', '2.5.4.11', '2.5.4.3'];

/** §8.2.1. */
function assertPackedCertificate({ version, subject, isAuthority }: AttestationCertificate): void {
  must(version === 3, '8.2.1', 'attestation-certificate');
  must(/^[A-Z]{2}$/.test(subject.get(COUNTRY) ?? ''), '8.2.1', 'attestation-certificate');
  must((subject.get(ORGANISATION) ?? '') !== '', '8.2.1', 'attestation-certificate');
  must(subject.get(UNIT) === 'Authenticator Attestation', '8.2.1', 'attestation-certificate');
  must((subject.get(COMMON) ?? '') !== '', '8.2.1', 'attestation-certificate');
  must(!isAuthority, '8.2.1', 'attestation-certificate');
}
