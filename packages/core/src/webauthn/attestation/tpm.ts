import { constantTimeEqual, hashOf } from '../../crypto/index.js';
import type { Cbor } from '../cbor.js';
import type { CoseKey } from '../cose.js';
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

const STEP = '8.3';

/** Constants of TPM 2.0 Library, part 2: tables 7, 9, 10 and 19. */
const GENERATED = 0xff54_4347;
const ST_ATTEST_CERTIFY = 0x8017;
const [ALG_RSA, ALG_NULL, ALG_ECC] = [0x0001, 0x0010, 0x0023];
const HASHES: ReadonlyMap<number, 'sha1' | 'sha256' | 'sha384' | 'sha512'> = new Map([
  [0x0004, 'sha1'],
  [0x000b, 'sha256'],
  [0x000c, 'sha384'],
  [0x000d, 'sha512'],
]);
const CURVES: ReadonlyMap<number, string> = new Map([
  [0x0003, 'P-256'],
  [0x0004, 'P-384'],
  [0x0005, 'P-521'],
]);

/** WebAuthn Level 3 §8.3: a trusted platform module certifies the key, and its certificate signs what it said of it. */
export function tpm(statement: Cbor, about: Attested): Attestation {
  const map = membersOf(statement, STEP, ['ver', 'alg', 'x5c', 'sig', 'certInfo', 'pubArea']);
  must(map.get('ver') === '2.0', STEP, 'attestation-malformed');
  const scheme = algorithmOf(map, STEP, true);
  const [pubArea, certInfo] = [bytesOf(map, 'pubArea', STEP), bytesOf(map, 'certInfo', STEP)];
  const { nameAlg } = readPublicArea(pubArea, about.key);
  const { extraData, name } = readCertInfo(certInfo);
  must(scheme.hash !== null, STEP, 'attestation-malformed');
  must(constantTimeEqual(extraData, hashOf(scheme.hash, toBeSigned(about))), STEP, 'attestation-mismatch');
  const nameHash = HASHES.get(nameAlg);
  must(nameHash !== undefined, STEP, 'attestation-malformed');
  const expected = Buffer.concat([uint16(nameAlg), hashOf(nameHash, pubArea)]);
  must(constantTimeEqual(name, expected), STEP, 'attestation-mismatch');
  const chain = certificatesOf(map, STEP);
  signedBy(chain[0], scheme, certInfo, bytesOf(map, 'sig', STEP), STEP);
  assertAikCertificate(chain[0]);
  assertAaguid(chain[0], about, '8.3.1');
  return certified('tpm', chain);
}

const uint16 = (value: number): Buffer => Buffer.from([value >> 8, value & 255]);

/** Takes the structures of a TPM apart: numbers with the highest byte first, and buffers behind their length. */
class Parts {
  #rest: Buffer;

  constructor(bytes: Uint8Array) {
    this.#rest = Buffer.from(bytes);
  }

  take(length: number): Buffer {
    must(this.#rest.length >= length, STEP, 'attestation-malformed');
    const taken = this.#rest.subarray(0, length);
    this.#rest = this.#rest.subarray(length);
    return taken;
  }
  number(length: 2 | 4): number {
    return this.take(length).readUIntBE(0, length);
  }
  sized(): Buffer {
    return this.take(this.number(2));
  }
  /** A scheme: none, or one with its hash. */
  scheme(): void {
    if (this.number(2) !== ALG_NULL) this.number(2);
  }
  end(): void {
    must(this.#rest.length === 0, STEP, 'attestation-malformed');
  }
}

/** TPMT_PUBLIC, part 2 §12.2.4: the credential's key as the module describes it. */
function readPublicArea(bytes: Uint8Array, { numbers }: CoseKey): { readonly nameAlg: number } {
  const parts = new Parts(bytes);
  const type = parts.number(2);
  const nameAlg = parts.number(2);
  // Attributes and policy say what the module does with the key; it is asked for nothing but signatures.
  parts.number(4);
  parts.sized();
  // A key that signs encrypts nothing under it.
  must(parts.number(2) === ALG_NULL, STEP, 'attestation-malformed');
  parts.scheme();
  const same = (a: Uint8Array, b: Uint8Array) =>
    must(Buffer.compare(trimmed(a), trimmed(b)) === 0, STEP, 'attestation-mismatch');
  if (type === ALG_RSA) {
    must(numbers.kty === 'RSA', STEP, 'attestation-mismatch');
    parts.number(2);
    const exponent = parts.number(4) || 65_537;
    same(numbers.n, parts.sized());
    same(numbers.e, Buffer.from(exponent.toString(16).padStart(8, '0'), 'hex'));
  } else {
    must(type === ALG_ECC && numbers.kty === 'EC', STEP, 'attestation-mismatch');
    must(CURVES.get(parts.number(2)) === numbers.crv, STEP, 'attestation-mismatch');
    // The key derivation's scheme.
    parts.scheme();
    same(numbers.x, parts.sized());
    same(numbers.y, parts.sized());
  }
  parts.end();
  return { nameAlg };
}

/** Numbers may be written with zeros before them. */
function trimmed(bytes: Uint8Array): Uint8Array {
  const first = bytes.findIndex((byte) => byte !== 0);
  return first < 0 ? new Uint8Array() : bytes.subarray(first);
}

/** TPMS_ATTEST, part 2 §10.12.8, of a certified key (§10.12.3). */
function readCertInfo(bytes: Uint8Array): { readonly extraData: Buffer; readonly name: Buffer } {
  const parts = new Parts(bytes);
  must(parts.number(4) === GENERATED, STEP, 'attestation-mismatch');
  must(parts.number(2) === ST_ATTEST_CERTIFY, STEP, 'attestation-mismatch');
  parts.sized();
  const extraData = parts.sized();
  // Clock, resets, restarts, whether it is safe; the firmware's version.
  parts.take(17 + 8);
  const name = parts.sized();
  parts.sized();
  parts.end();
  return { extraData, name };
}

const AIK_USAGE = '2.23.133.8.3';
/** tcg-at-tpmManufacturer, tcg-at-tpmModel, tcg-at-tpmVersion: TPMv2-EK-Profile §3.2.9. */
const MODULE = ['2.23.133.2.1', '2.23.133.2.2', '2.23.133.2.3'];

/** §8.3.1. */
function assertAikCertificate({
  version,
  subjectParts,
  otherNames,
  usages,
  isAuthority,
}: AttestationCertificate): void {
  must(version === 3, '8.3.1', 'attestation-certificate');
  must(subjectParts === 0, '8.3.1', 'attestation-certificate');
  must(
    MODULE.every((oid) => (otherNames.get(oid) ?? '') !== ''),
    '8.3.1',
    'attestation-certificate',
  );
  must(usages.includes(AIK_USAGE), '8.3.1', 'attestation-certificate');
  must(!isAuthority, '8.3.1', 'attestation-certificate');
}
