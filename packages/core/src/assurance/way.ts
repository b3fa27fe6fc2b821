import { specOf } from '../methods/kinds/index.js';
import { METHODS, QUALIFIERS, type Method, type Qualifier } from '../vocabulary.js';

/** One proof that a way asks for. */
export interface WayProof {
  readonly method: Method;
  /** In the order of {@link QUALIFIERS}. */
  readonly qualifiers: readonly Qualifier[];
}

/** Proofs that suffice together, in the order in which they are asked for. */
export type Way = readonly WayProof[];

/** Most proofs of a way: nobody is asked for more. */
export const MOST_PROOFS = 4;

/** Why a text is no way; `at` counts characters from 0. */
export interface WayProblem {
  readonly why: 'empty' | 'method-unknown' | 'qualifier-unknown' | 'too-many-proofs' | 'twice' | 'shape';
  readonly at: number;
  readonly text: string;
}

/**
 * Reads a way as it is written: `password + totp`, `webauthn(verified, device-bound)`.
 *
 *     way   = proof *( "+" proof )
 *     proof = method [ "(" qualifier *( "," qualifier ) ")" ]
 *
 * Spaces may stand anywhere between these.
 */
export function parseWay(text: string): { readonly way: Way } | { readonly problem: WayProblem } {
  const proofs: WayProof[] = [];
  const problem = (why: WayProblem['why'], at: number, what: string) => ({ problem: { why, at, text: what } });
  if (text.trim() === '') return problem('empty', 0, '');
  let at = 0;
  for (const part of text.split('+')) {
    const begin = at + (part.length - part.trimStart().length);
    at += part.length + 1;
    const match = /^([a-z]+)(?:\s*\(([^()]*)\))?$/.exec(part.trim());
    if (!match) return problem('shape', begin, part.trim());
    const method = METHODS.find((known) => known === match[1]);
    if (!method) return problem('method-unknown', begin, match[1]!);
    const named = match[2] === undefined ? [] : match[2].split(',').map((name) => name.trim());
    for (const name of named)
      if (!specOf(method).qualifiers.some((known) => known === name)) return problem('qualifier-unknown', begin, name);
    const qualifiers = QUALIFIERS.filter((known) => named.includes(known));
    if (qualifiers.length !== named.length) return problem('twice', begin, part.trim());
    if (proofs.some((proof) => proof.method === method && proof.qualifiers.join() === qualifiers.join()))
      return problem('twice', begin, part.trim());
    proofs.push({ method, qualifiers });
  }
  return proofs.length > MOST_PROOFS ? problem('too-many-proofs', 0, text) : { way: proofs };
}

/** A way as it is written. */
export function writeWay(way: Way): string {
  return way
    .map(({ method, qualifiers }) => (qualifiers.length > 0 ? `${method}(${qualifiers.join(', ')})` : method))
    .join(' + ');
}
