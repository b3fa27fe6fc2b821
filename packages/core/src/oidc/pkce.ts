import { constantTimeEqual, sha256 } from '../crypto/index.js';

/** A challenge of method S256: 32 bytes in base64url (RFC 7636 §4.2). */
export const isChallenge = (text: string): boolean => /^[\w-]{43}$/.test(text);

/** Whether a verifier (RFC 7636 §4.1: 43 to 128 unreserved characters) is the one that a challenge was made of. */
export function isVerifierOf(challenge: string, verifier: string): boolean {
  if (!/^[\w.~-]{43,128}$/.test(verifier)) return false;
  return constantTimeEqual(Buffer.from(sha256(verifier).toString('base64url')), Buffer.from(challenge));
}
