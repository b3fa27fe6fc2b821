import type { OriginProblem, PartyProblem } from '../vocabulary.js';

/** Whether a host is a relying party's own: it, or one below it. WebAuthn Level 3 §5.1.3 step 8, §5.1.4.1 step 7. */
export const isWithin = (host: string, rpId: string): boolean => host === rpId || host.endsWith(`.${rpId}`);

/** Whether browsers make keys for a host at all: they do so for names alone. */
export const isName = (host: string): boolean => !/^\[|:/.test(host) && !/^[\d.]+$/.test(host);

/** Why no key can answer at a host for a domain that was possible when it was chosen. */
export function reachProblem(rpId: string, host: string): PartyProblem | undefined {
  if (!isName(rpId)) return 'address';
  return isWithin(host, rpId) ? undefined : 'other-host';
}

export const LOCAL = 'localhost';

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
