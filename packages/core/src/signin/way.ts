import type { Method } from '../vocabulary.js';

/** A way as people read it, in the order of its proofs: `password + totp`. */
export function wayOf(proofs: readonly { method: Method }[]): string {
  return proofs.map((proof) => proof.method).join(' + ');
}

/** Authentication method references, RFC 8176 §2. */
const AMR: Partial<Record<Method, string>> = { password: 'pwd', totp: 'otp', hotp: 'otp' };

/** The `amr` values of the proofs; `mfa` when two or more different methods were proved. */
export function amrOf(proofs: readonly { method: Method }[]): string[] {
  const values = new Set(proofs.flatMap((proof) => AMR[proof.method] ?? []));
  if (new Set(proofs.map((proof) => proof.method)).size > 1) values.add('mfa');
  return [...values];
}
