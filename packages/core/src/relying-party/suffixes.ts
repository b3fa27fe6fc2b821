/** What takes the list of public suffixes. It is large, so it is a door of its own, for whoever needs it to load. */
import { getDomainWithoutSuffix, getHostname, getPublicSuffix } from 'tldts';
import type { PartyProblem } from '../vocabulary.js';
import { hostOf, isName, isWithin, LOCAL } from './index.js';

/** The list has names under which others register theirs too; browsers go by all of them. */
const SUFFIXES = { allowPrivateDomains: true } as const;
const LONGEST_HOST = 253;

/**
 * What keeps a domain from being the relying party id of a service.
 *
 * @param rpId as it is written, in lower case
 * @param host of the service's own address
 */
export function partyProblem(rpId: string, host: string): PartyProblem | undefined {
  if (!isName(rpId)) return 'address';
  if (rpId.length > LONGEST_HOST || getHostname(rpId) !== rpId || /[^a-z0-9.-]/.test(rpId)) return 'not-a-domain';
  // A host of its own may be its own relying party, whatever stands in the list.
  if (rpId !== host && rpId !== LOCAL && getPublicSuffix(rpId, SUFFIXES) === rpId) return 'too-wide';
  return isWithin(host, rpId) ? undefined : 'other-host';
}

/** The domains that a service at a host can make keys for, the narrowest first: the host, and what stands above it. */
export function partyChoices(host: string): readonly string[] {
  if (!isName(host)) return [];
  const labels = host.split('.');
  return labels.map((_, i) => labels.slice(i).join('.')).filter((one) => partyProblem(one, host) === undefined);
}

/** The labels that browsers count of related origins: what stands before the public suffix. */
export const relatedLabels = (origins: readonly string[]): readonly string[] => [
  ...new Set(origins.map((origin) => getDomainWithoutSuffix(hostOf(origin), SUFFIXES) ?? hostOf(origin))),
];
