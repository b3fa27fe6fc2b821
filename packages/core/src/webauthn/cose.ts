import type { KeyObject } from 'node:crypto';
import { publicKeyOf, type PublicNumbers, type SignatureAlgorithm } from '../crypto/index.js';
import type { Cbor, CborMap } from './cbor.js';

/** An algorithm of the IANA COSE registry, with the keys that go with it. */
interface CoseAlgorithm extends SignatureAlgorithm {
  readonly name: string;
  /** Kind and curve of its keys, as COSE numbers them; RSA has no curve. */
  readonly kty: number;
  readonly crv: number | null;
}

const [OKP, EC2, RSA] = [1, 2, 3];
const [P256, P384, P521, ED25519, ED448, SECP256K1] = [1, 2, 3, 6, 7, 8];

/**
 * Algorithms whose signatures are verified. WebAuthn Level 3 §5.8.5 ties ES256, ES384 and ES512 to one curve each and EdDSA to
 * Ed25519, which RFC 9864 gives names of their own.
 */
const ALGORITHMS: ReadonlyMap<number, CoseAlgorithm> = new Map<number, CoseAlgorithm>([
  [-7, { name: 'ES256', kty: EC2, crv: P256, key: 'ec', hash: 'sha256' }],
  [-9, { name: 'ESP256', kty: EC2, crv: P256, key: 'ec', hash: 'sha256' }],
  [-8, { name: 'EdDSA', kty: OKP, crv: ED25519, key: 'ed25519', hash: null }],
  [-19, { name: 'Ed25519', kty: OKP, crv: ED25519, key: 'ed25519', hash: null }],
  [-53, { name: 'Ed448', kty: OKP, crv: ED448, key: 'ed448', hash: null }],
  [-35, { name: 'ES384', kty: EC2, crv: P384, key: 'ec', hash: 'sha384' }],
  [-51, { name: 'ESP384', kty: EC2, crv: P384, key: 'ec', hash: 'sha384' }],
  [-36, { name: 'ES512', kty: EC2, crv: P521, key: 'ec', hash: 'sha512' }],
  [-52, { name: 'ESP512', kty: EC2, crv: P521, key: 'ec', hash: 'sha512' }],
  [-47, { name: 'ES256K', kty: EC2, crv: SECP256K1, key: 'ec', hash: 'sha256' }],
  [-257, { name: 'RS256', kty: RSA, crv: null, key: 'rsa', hash: 'sha256' }],
  [-258, { name: 'RS384', kty: RSA, crv: null, key: 'rsa', hash: 'sha384' }],
  [-259, { name: 'RS512', kty: RSA, crv: null, key: 'rsa', hash: 'sha512' }],
  [-37, { name: 'PS256', kty: RSA, crv: null, key: 'rsa', hash: 'sha256', pss: true }],
  [-38, { name: 'PS384', kty: RSA, crv: null, key: 'rsa', hash: 'sha384', pss: true }],
  [-39, { name: 'PS512', kty: RSA, crv: null, key: 'rsa', hash: 'sha512', pss: true }],
]);

/** Those that may be offered, the preferred ones first. */
export const COSE_ALGORITHMS: readonly number[] = [...ALGORITHMS.keys()];

export const algorithmName = (algorithm: number): string => ALGORITHMS.get(algorithm)?.name ?? String(algorithm);

/** RSASSA-PKCS1-v1_5 with SHA-1 (RFC 8812 §2): attestations of old TPMs are signed by it, credentials never. */
const RS1: SignatureAlgorithm = { key: 'rsa', hash: 'sha1' };

/** How attestation statements sign; `rs1` whether the format may still use SHA-1. */
export const signatureAlgorithm = (algorithm: number, rs1 = false): SignatureAlgorithm | undefined =>
  ALGORITHMS.get(algorithm) ?? (rs1 && algorithm === -65535 ? RS1 : undefined);

/** The curve's name and the bytes of a coordinate. */
const CURVES: ReadonlyMap<number, readonly ['P-256' | 'P-384' | 'P-521' | 'secp256k1', number]> = new Map([
  [P256, ['P-256', 32]],
  [P384, ['P-384', 48]],
  [P521, ['P-521', 66]],
  [SECP256K1, ['secp256k1', 32]],
]);

/** Least and most bits of an RSA modulus; NIST SP 800-131A, and what authenticators make. */
const RSA_BITS = [2_048, 4_096] as const;

/** A credential's public key. */
export interface CoseKey {
  /** COSE algorithm, the only one that its signatures are verified by. */
  readonly algorithm: number;
  readonly scheme: SignatureAlgorithm;
  readonly numbers: PublicNumbers;
  readonly key: KeyObject;
}

/**
 * Reads a COSE_Key (RFC 9052 §7, RFC 9053 §7, RFC 8230 §4) as WebAuthn Level 3 §6.5.1.1 has it: with its algorithm, and without any
 * parameter that is not needed. Undefined for what is no such key: wrong lengths, a compressed point or one that is not on its
 * curve, an RSA modulus that is too short or a weak exponent.
 */
export function readCoseKey(map: CborMap): CoseKey | undefined {
  const algorithm = map.get(3);
  const scheme = typeof algorithm === 'number' ? ALGORITHMS.get(algorithm) : undefined;
  if (!scheme || map.get(1) !== scheme.kty) return undefined;
  const numbers = numbersOf(map, scheme);
  const key = numbers && publicKeyOf(numbers);
  return key && { algorithm: algorithm as number, scheme, numbers, key };
}

function numbersOf(map: CborMap, { kty, crv }: CoseAlgorithm): PublicNumbers | undefined {
  if (kty === RSA) {
    const [n, e] = [map.get(-1), map.get(-2)];
    if (map.size !== 4 || !isBytes(n) || !isBytes(e) || !isModulus(n) || !isExponent(e)) return undefined;
    return { kty: 'RSA', n, e };
  }
  const x = map.get(-2);
  if (map.get(-1) !== crv || !isBytes(x)) return undefined;
  if (kty === OKP) {
    const length = crv === ED25519 ? 32 : 57;
    return map.size === 4 && x.length === length
      ? { kty: 'OKP', crv: crv === ED25519 ? 'Ed25519' : 'Ed448', x }
      : undefined;
  }
  const y = map.get(-3);
  const [curve, length] = CURVES.get(crv!)!;
  return map.size === 5 && isBytes(y) && x.length === length && y.length === length
    ? { kty: 'EC', crv: curve, x, y }
    : undefined;
}

const isBytes = (value: Cbor | undefined): value is Uint8Array => value instanceof Uint8Array;

/** RFC 8230 §4: without leading zeros. */
function isModulus(n: Uint8Array): boolean {
  if (n.length === 0 || n[0] === 0) return false;
  const bits = n.length * 8 - Math.clz32(n[0]!) + 24;
  return bits >= RSA_BITS[0] && bits <= RSA_BITS[1] && n[n.length - 1]! % 2 === 1;
}

/** Odd, beyond 2^16 (NIST SP 800-56B), within 32 bits, without leading zeros. */
function isExponent(e: Uint8Array): boolean {
  const value = e.reduce((sum, byte) => sum * 256 + byte, 0);
  return e.length >= 3 && e.length <= 4 && e[0] !== 0 && value > 65_536 && value % 2 === 1;
}
