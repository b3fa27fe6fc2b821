/** The only place of core that touches node:crypto. */
export { aesGcmOpen, aesGcmSeal, constantTimeEqual, hmac, sha256, type HmacHash } from './primitives.js';
export { ed25519FromSeed, ed25519PublicKeyPem, ed25519Sign, ed25519Verify } from './ed25519.js';
export { certificateNamed, hashing, readCertificate, verifySigned, type SignatureScheme } from './signatures.js';
export { hashOf, isSignedBy, publicKeyOf, type PublicNumbers, type SignatureAlgorithm } from './public-keys.js';
export { openCertificate, type OpenedCertificate } from './x509.js';
export { canonicalJson, type Json } from './canonical.js';
export { decodeBase32, encodeBase32 } from './base32.js';
export { uuidBytes, uuidText, uuidV7, uuidV7Floor } from './uuid.js';
export {
  BLOCK_CIPHERS,
  KEY_WRAPS,
  openBlocks,
  openGcm,
  OAEP_HASHES,
  openRsa,
  pbkdf2,
  sealBlocks,
  unwrapKey,
  type BlockCipher,
  type KeyWrap,
  type Oaep,
  type OaepHash,
} from './legacy.js';
