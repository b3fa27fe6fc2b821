import { CborProblem, decodeFirstCbor, type CborMap } from './cbor.js';
import { must } from './refused.js';

/** WebAuthn Level 3 §6.1. */
export interface AuthenticatorData {
  /** As it came, to the byte: signatures are over it. */
  readonly bytes: Uint8Array;
  readonly rpIdHash: Uint8Array;
  readonly present: boolean;
  readonly verified: boolean;
  readonly backupEligible: boolean;
  readonly backedUp: boolean;
  /** Of the authenticator or of the credential; zero where it keeps none. */
  readonly signCount: number;
  readonly attested: AttestedCredential | undefined;
  readonly extensions: CborMap | undefined;
}

/** §6.5.1. */
export interface AttestedCredential {
  /** 16 bytes: the model, where it says. */
  readonly aaguid: Uint8Array;
  readonly credentialId: Uint8Array;
  readonly publicKey: CborMap;
  /** The COSE_Key as it came. */
  readonly publicKeyBytes: Uint8Array;
}

const [UP, UV, BE, BS, AT, ED] = [0x01, 0x04, 0x08, 0x10, 0x40, 0x80];
/** Far more than keys and extensions take. */
const LONGEST = 16_384;

/**
 * Reads authenticator data to its last byte: nothing may be left over, and nothing that the flags announce may be missing.
 *
 * @param step named where it cannot be read
 */
export function readAuthenticatorData(bytes: Uint8Array, step: string): AuthenticatorData {
  must(bytes.length >= 37 && bytes.length <= LONGEST, step, 'malformed');
  const flags = bytes[32]!;
  const has = (flag: number) => (flags & flag) !== 0;
  let rest = bytes.subarray(37);
  let attested: AttestedCredential | undefined;
  if (has(AT)) {
    must(rest.length >= 18, step, 'malformed');
    const idLength = rest[16]! * 256 + rest[17]!;
    const credentialId = rest.subarray(18, 18 + idLength);
    must(credentialId.length === idLength, step, 'malformed');
    const [publicKey, length] = firstMap(rest.subarray(18 + idLength), step);
    const publicKeyBytes = rest.subarray(18 + idLength, 18 + idLength + length);
    attested = { aaguid: rest.subarray(0, 16), credentialId, publicKey, publicKeyBytes };
    rest = rest.subarray(18 + idLength + length);
  }
  let extensions: CborMap | undefined;
  if (has(ED)) {
    const [map, length] = firstMap(rest, step);
    extensions = map;
    rest = rest.subarray(length);
  }
  must(rest.length === 0, step, 'malformed');
  return {
    bytes,
    rpIdHash: bytes.subarray(0, 32),
    present: has(UP),
    verified: has(UV),
    backupEligible: has(BE),
    backedUp: has(BS),
    signCount: Buffer.from(bytes.buffer, bytes.byteOffset + 33, 4).readUInt32BE(),
    attested,
    extensions,
  };
}

function firstMap(bytes: Uint8Array, step: string): [CborMap, number] {
  try {
    const { value, length } = decodeFirstCbor(bytes, 'canonical');
    must(value instanceof Map, step, 'malformed');
    return [value as CborMap, length];
  } catch (error) {
    if (!(error instanceof CborProblem)) throw error;
    must(false, step, 'malformed');
  }
}
