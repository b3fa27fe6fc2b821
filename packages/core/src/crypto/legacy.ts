import {
  constants,
  createCipheriv,
  createDecipheriv,
  createHash,
  pbkdf2Sync,
  privateDecrypt,
  timingSafeEqual,
} from 'node:crypto';

/**
 * What files of tokens are encrypted with, as their standards list it. For reading such files alone: nothing of ours is
 * sealed this way. What is authenticated by a MAC must be checked before it is decrypted.
 */

/** Block ciphers of XML Encryption 1.1 §5.2, by the last part of their URI. */
export const BLOCK_CIPHERS = {
  'aes128-cbc': { name: 'aes-128-cbc', key: 16, iv: 16 },
  'aes192-cbc': { name: 'aes-192-cbc', key: 24, iv: 16 },
  'aes256-cbc': { name: 'aes-256-cbc', key: 32, iv: 16 },
  'tripledes-cbc': { name: 'des-ede3-cbc', key: 24, iv: 8 },
} as const;
export type BlockCipher = keyof typeof BLOCK_CIPHERS;

/** Key wraps, RFC 3394, by the last part of their URI. */
export const KEY_WRAPS = {
  'kw-aes128': { name: 'id-aes128-wrap', key: 16 },
  'kw-aes192': { name: 'id-aes192-wrap', key: 24 },
  'kw-aes256': { name: 'id-aes256-wrap', key: 32 },
} as const;
export type KeyWrap = keyof typeof KEY_WRAPS;

/**
 * Decrypts what XML Encryption 1.1 §5.2.1 made: the initialisation vector, then the blocks; the last byte says how many
 * bytes of padding there are. Undefined where that cannot be.
 */
export function openBlocks(cipher: BlockCipher, key: Uint8Array, data: Uint8Array): Buffer | undefined {
  const { name, key: length, iv } = BLOCK_CIPHERS[cipher];
  if (key.length !== length || data.length < 2 * iv || data.length % iv !== 0) return undefined;
  const decipher = createDecipheriv(name, key, data.subarray(0, iv));
  decipher.setAutoPadding(false);
  const plain = Buffer.concat([decipher.update(data.subarray(iv)), decipher.final()]);
  const padding = plain[plain.length - 1]!;
  return padding >= 1 && padding <= iv ? plain.subarray(0, plain.length - padding) : undefined;
}

/** The reverse with AES-256: the vector, then the blocks. */
export function sealBlocks(key: Uint8Array, vector: Uint8Array, plain: Uint8Array): Buffer {
  const cipher = createCipheriv('aes-256-cbc', key, vector);
  return Buffer.concat([vector, cipher.update(plain), cipher.final()]);
}

/** AES in Galois/Counter Mode as XML Encryption 1.1 §5.2.4 has it: 12 bytes of vector, 16 of tag at the end. */
export function openGcm(key: Uint8Array, data: Uint8Array): Buffer | undefined {
  if (![16, 24, 32].includes(key.length) || data.length < 28) return undefined;
  try {
    const name = `aes-${key.length * 8}-gcm` as 'aes-256-gcm';
    const decipher = createDecipheriv(name, key, data.subarray(0, 12), { authTagLength: 16 });
    decipher.setAuthTag(data.subarray(-16));
    return Buffer.concat([decipher.update(data.subarray(12, -16)), decipher.final()]);
  } catch {
    return undefined;
  }
}

/** Unwraps a key, RFC 3394 §2.2.2; undefined where its integrity check fails. */
export function unwrapKey(wrap: KeyWrap, key: Uint8Array, data: Uint8Array): Buffer | undefined {
  const { name, key: length } = KEY_WRAPS[wrap];
  if (key.length !== length || data.length < 16 || data.length % 8 !== 0) return undefined;
  try {
    const decipher = createDecipheriv(name, key, Buffer.alloc(8, 0xa6));
    return Buffer.concat([decipher.update(data), decipher.final()]);
  } catch {
    return undefined;
  }
}

/** PBKDF2, RFC 8018 §5.2. The caller bounds the iterations: they block the process. */
export const pbkdf2 = (
  passphrase: string,
  salt: Uint8Array,
  iterations: number,
  length: number,
  hash: 'sha1' | 'sha256' | 'sha512',
): Buffer => pbkdf2Sync(passphrase, salt, iterations, length, hash);

export const OAEP_HASHES = ['sha1', 'sha224', 'sha256', 'sha384', 'sha512'] as const;
export type OaepHash = (typeof OAEP_HASHES)[number];

/** How a value was encrypted to somebody: RSAES-OAEP, RFC 8017 §7.1. The hash of the mask need not be that of the label. */
export interface Oaep {
  readonly hash: OaepHash;
  /** Of the mask generation function, MGF1 (RFC 8017 appendix B.2.1). */
  readonly maskHash: OaepHash;
  readonly label: Uint8Array;
}

/** Opens what was encrypted by RSAES-OAEP. Undefined where it was made for another key, or otherwise. */
export function openRsa(privateKeyPem: string, data: Uint8Array, { hash, maskHash, label }: Oaep): Buffer | undefined {
  try {
    const key = { key: privateKeyPem, oaepHash: hash, oaepLabel: Buffer.from(label) };
    if (hash === maskHash) return privateDecrypt({ ...key, padding: constants.RSA_PKCS1_OAEP_PADDING }, data);
    // Node takes one hash for both: with two, the padding is taken off here.
    const encoded = privateDecrypt({ key: privateKeyPem, padding: constants.RSA_NO_PADDING }, data);
    return withoutOaep(encoded, { hash, maskHash, label });
  } catch {
    return undefined;
  }
}

/** MGF1, RFC 8017 appendix B.2.1. */
function mask(hash: OaepHash, seed: Uint8Array, length: number): Buffer {
  const parts: Buffer[] = [];
  for (let counter = 0, made = 0; made < length; counter++) {
    const octets = Buffer.alloc(4);
    octets.writeUInt32BE(counter);
    const part = createHash(hash).update(seed).update(octets).digest();
    parts.push(part);
    made += part.length;
  }
  return Buffer.concat(parts).subarray(0, length);
}

const xor = (a: Uint8Array, b: Uint8Array): Buffer => Buffer.from(a.map((byte, i) => byte ^ b[i]!));

/** EME-OAEP decoding, RFC 8017 §7.1.2 step 3: every byte is looked at whatever was wrong before it, and one answer covers all. */
function withoutOaep(encoded: Buffer, { hash, maskHash, label }: Oaep): Buffer | undefined {
  const labelHash = createHash(hash).update(label).digest();
  const size = labelHash.length;
  if (encoded.length < 2 * size + 2) return undefined;
  const maskedBlock = encoded.subarray(1 + size);
  const seed = xor(encoded.subarray(1, 1 + size), mask(maskHash, maskedBlock, size));
  const block = xor(maskedBlock, mask(maskHash, seed, maskedBlock.length));
  let wrong = encoded[0]! | (timingSafeEqual(block.subarray(0, size), labelHash) ? 0 : 1);
  let padding = 1;
  let begins = 0;
  for (let at = size; at < block.length; at++) {
    const isOne = Number(block[at] === 1);
    const isZero = Number(block[at] === 0);
    begins += padding & isOne ? at + 1 : 0;
    wrong |= padding & (1 - isOne) & (1 - isZero);
    padding &= 1 - isOne;
  }
  return (wrong | padding) === 0 ? Buffer.from(block.subarray(begins)) : undefined;
}
