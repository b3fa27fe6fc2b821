import { getDomainWithoutSuffix, getHostname, getPublicSuffix } from 'tldts';
import type { OriginProblem, PartyProblem } from '../vocabulary.js';

/** The list of public suffixes has names under which others register theirs too; browsers go by all of them. */
const SUFFIXES = { allowPrivateDomains: true } as const;
const LOCAL = 'localhost';
const LONGEST_HOST = 253;

/** Whether a host is a relying party's own: it, or one below it. WebAuthn Level 3 §5.1.3 step 8, §5.1.4.1 step 7. */
export const isWithin = (host: string, rpId: string): boolean => host === rpId || host.endsWith(`.${rpId}`);

/** Whether browsers make keys for a host at all: they do so for names alone. */
export const isName = (host: string): boolean => !/^\[|:/.test(host) && !/^[\d.]+$/.test(host);

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

/**
 * What is wrong with an origin that an application's pages answer from, as browsers write origins (RFC 6454 §6.2): scheme, host, and
 * the port where it is not the scheme's own. Without TLS only where nothing leaves the machine.
 */
export function originProblem(origin: string): OriginProblem | undefined {
  let url: URL;
  try {
    url = new URL(origin);
  } catch {
    return 'origin-form';
  }
  if (url.origin !== origin) return 'origin-form';
  if (!isName(url.hostname)) return 'origin-address';
  const local = url.hostname === LOCAL || url.hostname.endsWith(`.${LOCAL}`);
  return url.protocol === 'https:' || (url.protocol === 'http:' && local) ? undefined : 'origin-plain';
}

/** The host of an origin. */
export const hostOf = (origin: string): string => new URL(origin).hostname;

/** Browsers go no further than so many labels in a related origins document, WebAuthn Level 3 §5.11.1. */
export const MOST_RELATED_LABELS = 5;

/** The labels that browsers count of related origins: what stands before the public suffix. */
export const relatedLabels = (origins: readonly string[]): readonly string[] => [
  ...new Set(origins.map((origin) => getDomainWithoutSuffix(hostOf(origin), SUFFIXES) ?? hostOf(origin))),
];
