import { serveWay, type Usable } from '../assurance/index.js';
import { waysFor, type Asked } from './requirement.js';

/**
 * What is asked of somebody who brings an invitation where they come to a new authenticator: as much as everybody is asked, if they
 * hold enough for it; else one proof of whatever they hold. The invitation is in the place of the factor that they do not have yet, never
 * in that of one that they have, and a rule that refuses goes on refusing.
 *
 * @returns the outcome, and whether the invitation was needed for it
 */
export function invitedOutcome(
  asked: Asked,
  held: readonly Usable[],
): { readonly outcome: Asked; readonly leant: boolean } {
  const usable = asked.barred ? held.filter(({ method }) => !asked.barred!.includes(method)) : held;
  if (asked.kind === 'refuse' || waysFor(asked, held, []).some((way) => serveWay(way, usable)))
    return { outcome: asked, leant: false };
  return { outcome: { kind: 'let-in', ...(asked.barred ? { barred: asked.barred } : {}) }, leant: true };
}
