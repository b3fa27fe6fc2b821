import { specOf } from '../methods/kinds/index.js';
import type { Method } from '../vocabulary.js';
import type { ProofDone } from './state.js';

/** A way as people read it, in the order of its proofs: `password + totp`. */
export function wayOf(proofs: readonly { method: Method }[]): string {
  return proofs.map((proof) => proof.method).join(' + ');
}

type Proved = Pick<ProofDone, 'method' | 'can'>;

/**
 * The `amr` values of the proofs, RFC 8176 §2; `mfa` when two or more different methods were proved, or one that is two factors
 * itself.
 */
export function amrOf(proofs: readonly Proved[]): string[] {
  const values = new Set(proofs.flatMap(({ method, can }) => specOf(method).amr(can)));
  const twoInOne = proofs.some(({ method, can }) => {
    const { knows, has } = specOf(method).shows(can);
    return knows && has;
  });
  if (twoInOne || new Set(proofs.map((proof) => proof.method)).size > 1) values.add('mfa');
  return [...values];
}
