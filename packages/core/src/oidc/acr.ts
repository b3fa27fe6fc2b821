import { assuranceOf, type Assurance, type Way } from '../assurance/index.js';
import type { AtLeast } from '../signin/index.js';
import { ACR_VALUES, type AcrValue } from '../vocabulary.js';

/**
 * What each value stands for. `phr` and `phrh` are those of OpenID Connect Extended Authentication Profile ACR Values 1.0
 * §2: phishing-resistant, and the same with a key kept in hardware; the levels are those of NIST SP 800-63B-4.
 */
const NEEDS: Readonly<Record<AcrValue, AtLeast>> = {
  'level-1': { level: 1, phishingResistant: false },
  'level-2': { level: 2, phishingResistant: false },
  'level-3': { level: 3, phishingResistant: true },
  phr: { level: 1, phishingResistant: true },
  phrh: { level: 3, phishingResistant: true },
};

export const isAcr = (value: string): value is AcrValue => (ACR_VALUES as readonly string[]).includes(value);

/** What a value asks of a sign-in. */
export const neededFor = (acr: AcrValue): AtLeast => NEEDS[acr];

const reaches = (acr: AcrValue, { level, phishingResistant }: Assurance): boolean =>
  level >= NEEDS[acr].level && (phishingResistant || !NEEDS[acr].phishingResistant);

/**
 * The `acr` of an ID token (OpenID Connect Core §2): of the values that were asked for the first that was reached, else
 * the best of all; undefined where nothing of what was proved counts.
 */
export function acrOf(way: Way, asked: readonly AcrValue[]): AcrValue | undefined {
  const reached = assuranceOf(way);
  const best: readonly AcrValue[] = ['phrh', 'phr', 'level-3', 'level-2', 'level-1'];
  return [...asked, ...best].find((acr) => reaches(acr, reached));
}
