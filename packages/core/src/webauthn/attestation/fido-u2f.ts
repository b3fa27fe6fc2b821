import type { Cbor } from '../cbor.js';
import { must } from '../refused.js';
import {
  bytesOf,
  certificatesOf,
  certified,
  membersOf,
  signedBy,
  type Attestation,
  type Attested,
} from './statement.js';

const STEP = '8.6';

/** WebAuthn Level 3 §8.6: keys from before WebAuthn, which sign in a form of their own. */
export function fidoU2f(statement: Cbor, { authData, attested, key, clientDataHash }: Attested): Attestation {
  const map = membersOf(statement, STEP, ['sig', 'x5c']);
  const chain = certificatesOf(map, STEP);
  must(chain.length === 1, STEP, 'attestation-malformed');
  const { asymmetricKeyType, asymmetricKeyDetails } = chain[0].key;
  must(
    asymmetricKeyType === 'ec' && asymmetricKeyDetails?.namedCurve === 'prime256v1',
    STEP,
    'attestation-certificate',
  );
  const { numbers } = key;
  must(numbers.kty === 'EC' && numbers.crv === 'P-256', STEP, 'attestation-mismatch');
  // The form has no place for a model: one that is named all the same was signed by nobody.
  must(
    attested.aaguid.every((byte) => byte === 0),
    STEP,
    'attestation-mismatch',
  );
  const signed = Buffer.concat([
    Buffer.from([0]),
    authData.rpIdHash,
    clientDataHash,
    attested.credentialId,
    Buffer.from([4]),
    numbers.x,
    numbers.y,
  ]);
  signedBy(chain[0], { key: 'ec', hash: 'sha256' }, signed, bytesOf(map, 'sig', STEP), STEP);
  return certified('fido-u2f', chain);
}
