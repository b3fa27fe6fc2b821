import { missingOf } from './requirement.js';
import type { SignIn } from './state.js';

/**
 * What a key that answers now is asked about its holder: to verify them where every way that is left wants that, not to where none
 * does, since a PIN would be typed for nothing.
 */
export function verificationFor(
  { requirement, proofs }: Pick<SignIn, 'requirement' | 'proofs'>,
  of: 'webauthn' | 'push' = 'webauthn',
): 'required' | 'preferred' | 'discouraged' {
  const { outcome } = requirement;
  // Where a level is wished, what a key can do may be what reaches it.
  if (!('ways' in outcome) || outcome.atLeast) return 'preferred';
  const wanted = outcome.ways.flatMap((way) => missingOf(way, proofs)).filter(({ method }) => method === of);
  const verified = wanted.filter(({ qualifiers }) => qualifiers.includes('verified'));
  if (verified.length === 0) return wanted.length > 0 ? 'discouraged' : 'preferred';
  return verified.length === wanted.length ? 'required' : 'preferred';
}
