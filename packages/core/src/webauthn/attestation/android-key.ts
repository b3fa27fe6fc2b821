import * as asn1js from 'asn1js';
import { constantTimeEqual } from '../../crypto/index.js';
import type { Cbor } from '../cbor.js';
import { must } from '../refused.js';
import {
  algorithmOf,
  bytesOf,
  certificatesOf,
  certified,
  membersOf,
  signedBy,
  toBeSigned,
  type Attestation,
  type Attested,
} from './statement.js';

const STEP = '8.4';
/** The key description that Android's key store puts into the certificate. */
const DESCRIPTION = '1.3.6.1.4.1.11129.2.1.17';
/** Tags of its lists of authorizations, and what they must hold. */
const [PURPOSE, ALL_APPLICATIONS, ORIGIN] = [1, 600, 702];
const [PURPOSE_SIGN, ORIGIN_GENERATED] = [2, 0];

/** WebAuthn Level 3 §8.4: the key store of a phone certifies the key, made there, for signing alone. */
export function androidKey(statement: Cbor, about: Attested): Attestation {
  const map = membersOf(statement, STEP, ['alg', 'sig', 'x5c']);
  const scheme = algorithmOf(map, STEP);
  const chain = certificatesOf(map, STEP);
  signedBy(chain[0], scheme, toBeSigned(about), bytesOf(map, 'sig', STEP), STEP);
  must(chain[0].key.equals(about.key.key), STEP, 'attestation-mismatch');
  const extension = chain[0].extension(DESCRIPTION);
  must(extension !== undefined, '8.4.1', 'attestation-certificate');
  const { challenge, lists } = readDescription(extension.value);
  must(constantTimeEqual(challenge, about.clientDataHash), STEP, 'attestation-mismatch');
  must(
    lists.every((list) => !list.has(ALL_APPLICATIONS)),
    STEP,
    'attestation-mismatch',
  );
  // Of both lists: who wants the hardware's alone goes by the roots and the model.
  const origins = lists.flatMap((list) => list.get(ORIGIN) ?? []);
  must(origins.length > 0 && origins.every((one) => one === ORIGIN_GENERATED), STEP, 'attestation-mismatch');
  const purposes = lists.flatMap((list) => list.get(PURPOSE) ?? []);
  must(purposes.length > 0 && purposes.every((one) => one === PURPOSE_SIGN), STEP, 'attestation-mismatch');
  return certified('android-key', chain);
}

type List = ReadonlyMap<number, readonly number[]>;

/**
 * KeyDescription: a sequence whose fifth member is the challenge, whose seventh and eighth are what the software and the hardware
 * enforce. Members of those are tagged; only numbers and sets of numbers matter here.
 */
function readDescription(der: Uint8Array): { readonly challenge: Uint8Array; readonly lists: readonly List[] } {
  const result = parsed(der);
  must(result instanceof asn1js.Sequence, '8.4.1', 'attestation-malformed');
  const members = result.valueBlock.value;
  const challenge = members[4];
  must(members.length === 8 && challenge instanceof asn1js.OctetString, '8.4.1', 'attestation-malformed');
  return {
    challenge: new Uint8Array(challenge.getValue()),
    lists: [members[6], members[7]].map(readList),
  };
}

/** The package answers some of what it cannot read by an offset of -1, and throws over the rest. */
function parsed(der: Uint8Array): unknown {
  try {
    const { result, offset } = asn1js.fromBER(der);
    return offset === der.length ? result : undefined;
  } catch {
    return undefined;
  }
}

function readList(block: unknown): List {
  must(block instanceof asn1js.Sequence, '8.4.1', 'attestation-malformed');
  return new Map(
    block.valueBlock.value.map((tagged) => {
      // A tag on what is no structure has no list in it.
      const inner = (tagged as { valueBlock: { value?: readonly unknown[] } }).valueBlock.value?.[0];
      const numbers = inner instanceof asn1js.Set ? inner.valueBlock.value : [inner];
      return [
        tagged.idBlock.tagNumber,
        numbers.flatMap((one) => (one instanceof asn1js.Integer ? [one.valueBlock.valueDec] : [])),
      ] as const;
    }),
  );
}
