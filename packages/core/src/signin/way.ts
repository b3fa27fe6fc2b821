import type { Method } from '../vocabulary.js';
import type { ProofDone } from './state.js';

/** A way as people read it, in the order of its proofs: `password + totp`. */
export function wayOf(proofs: readonly { method: Method }[]): string {
  return proofs.map((proof) => proof.method).join(' + ');
}

/** Authentication method references, RFC 8176 §2. */
const AMR: Partial<Record<Method, string>> = { password: 'pwd', totp: 'otp', hotp: 'otp' };

type Proved = Pick<ProofDone, 'method' | 'can'>;

/** A key that stays in its device, or one that may be in many; whoever used it touched something. */
const valuesOf = ({ method, can }: Proved): readonly string[] =>
  method === 'webauthn' ? [can.includes('device-bound') ? 'hwk' : 'swk', 'user'] : [AMR[method] ?? []].flat();

/** The `amr` values of the proofs; `mfa` when two or more different methods were proved, or one that is two factors itself. */
export function amrOf(proofs: readonly Proved[]): string[] {
  const values = new Set(proofs.flatMap(valuesOf));
  const twoInOne = proofs.some(({ method, can }) => method === 'webauthn' && can.includes('verified'));
  if (twoInOne || new Set(proofs.map((proof) => proof.method)).size > 1) values.add('mfa');
  return [...values];
}
