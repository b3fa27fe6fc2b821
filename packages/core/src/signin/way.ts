import { specOf } from '../methods/kinds/index.js';
import type { Method } from '../vocabulary.js';
import type { ProofDone } from './state.js';

/** A way as people read it, in the order of its proofs: `password + totp`. */
export function wayOf(proofs: readonly { method: Method }[]): string {
  return proofs.map((proof) => proof.method).join(' + ');
}

type Proved = Pick<ProofDone, 'method' | 'can' | 'delegate'>;

/** Who proved something in the person's name; undefined where all of it was them. */
export const delegateOf = (proofs: readonly Pick<ProofDone, 'delegate'>[]): string | undefined =>
  proofs.find(({ delegate }) => delegate !== undefined)?.delegate;

/**
 * The `amr` values of the proofs, RFC 8176 §2; `mfa` when two or more different methods were proved, or one that is two factors
 * itself. `delegated`, which is ours, where somebody else proved in the person's name: no value of the registry says so.
 */
export function amrOf(proofs: readonly Proved[]): string[] {
  const values = new Set(proofs.flatMap(({ method, can }) => specOf(method).amr(can)));
  const twoInOne = proofs.some(({ method, can }) => {
    const { knows, has } = specOf(method).shows(can);
    return knows && has;
  });
  if (twoInOne || new Set(proofs.map((proof) => proof.method)).size > 1) values.add('mfa');
  if (delegateOf(proofs) !== undefined) values.add('delegated');
  return [...values];
}
