import { specOf } from '../methods/kinds/index.js';
import type { Way } from './way.js';

/**
 * How much a way assures, after NIST SP 800-63B-4 (sections in brackets). What we count is what the verifier can know:
 * a qualifier counts only where the way asks for it, since without it the weakest authenticator of the method serves. What a proof
 * of each method shows stands in its description (`methods/kinds`).
 */
export interface Assurance {
  /** Authenticator assurance level; 0 where nothing of the way counts as a factor. */
  readonly level: 0 | 1 | 2 | 3;
  /** Every answer is bound to where it is used [3.2.5]; a way is so as soon as one of its proofs is. */
  readonly phishingResistant: boolean;
  /** Something of it may be used only where its risks are accepted and another way is offered [3.2.9]. */
  readonly restricted: boolean;
  /** Meant for the day that the others are gone: recovery codes and temporary passes are named as such. */
  readonly lastResort: boolean;
}

/**
 * The level of a way. Level 1: one factor. Level 2: two different kinds of factor, something known (or a trait) and
 * something held [2.2]; two things held are still one kind. Level 3: both kinds, one proof among them phishing-resistant
 * with a key that cannot be exported [2.3].
 */
export function assuranceOf(way: Way): Assurance {
  const shown = way.map(({ method, qualifiers }) => specOf(method).shows(qualifiers));
  const knows = shown.some((one) => one.knows);
  const has = shown.some((one) => one.has);
  const strong = shown.some((one) => one.phishingResistant && one.bound);
  const lastResort = way.some(({ method }) => specOf(method).lastResort);
  const level = knows && has ? (strong && !lastResort ? 3 : 2) : knows || has ? 1 : 0;
  return {
    level,
    phishingResistant: shown.some((one) => one.phishingResistant),
    restricted: shown.some((one) => one.restricted),
    lastResort,
  };
}
