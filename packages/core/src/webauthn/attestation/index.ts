import type { Cbor } from '../cbor.js';
import { must, StepRefused } from '../refused.js';
import { androidKey } from './android-key.js';
import { apple } from './apple.js';
import { fidoU2f } from './fido-u2f.js';
import { packed } from './packed.js';
import { membersOf, type Attestation, type Attested } from './statement.js';
import { tpm } from './tpm.js';

export type { Attestation } from './statement.js';
export { readAttestationCertificate, type AttestationCertificate } from './certificate.js';

type Verify = (statement: Cbor, about: Attested) => Attestation;

/** WebAuthn Level 3 §8.7: nothing is said, in an empty map. */
const none: Verify = (statement) => {
  membersOf(statement, '8.7', []);
  return { format: 'none', kind: 'none', chain: [] };
};

/** The formats of §8, by their names in the IANA registry (RFC 8809). */
const FORMATS: ReadonlyMap<string, Verify> = new Map<string, Verify>([
  ['none', none],
  ['packed', packed],
  ['fido-u2f', fidoU2f],
  ['tpm', tpm],
  ['android-key', androidKey],
  ['apple', apple],
  [
    'android-safetynet',
    () => {
      // Its service was shut down: whatever still carries it was made before, or by somebody else.
      throw new StepRefused('8.5', 'attestation-withdrawn');
    },
  ],
]);

/** Every format that is verified. */
export const ATTESTATION_FORMATS: readonly string[] = [...FORMATS.keys()].filter(
  (name) => name !== 'android-safetynet',
);

/** Steps 21 and 22 of §7.1. @throws StepRefused */
export function verifyAttestation(format: string, statement: Cbor, about: Attested): Attestation {
  const verify = FORMATS.get(format);
  must(verify !== undefined, '7.1.21', 'attestation-format');
  return verify(statement, about);
}
