import { sha256 } from '../../crypto/index.js';
import type { Cbor } from '../cbor.js';
import { must } from '../refused.js';
import { certificatesOf, certified, membersOf, toBeSigned, type Attestation, type Attested } from './statement.js';

const STEP = '8.8';
const NONCE = '1.2.840.113635.100.8.2';
/** SEQUENCE { [1] EXPLICIT OCTET STRING } around 32 bytes, in DER. */
const BEFORE_NONCE = Buffer.from('3024a1220420', 'hex');

/** WebAuthn Level 3 §8.8: the certificate is made for the one credential, and holds what it answers to. */
export function apple(statement: Cbor, about: Attested): Attestation {
  const chain = certificatesOf(membersOf(statement, STEP, ['x5c']), STEP);
  const nonce = chain[0].extension(NONCE);
  must(nonce !== undefined, STEP, 'attestation-certificate');
  const expected = Buffer.concat([BEFORE_NONCE, sha256(toBeSigned(about))]);
  must(Buffer.compare(nonce.value, expected) === 0, STEP, 'attestation-mismatch');
  must(chain[0].key.equals(about.key.key), STEP, 'attestation-mismatch');
  return certified('apple', chain);
}
