import type { Claim, Release, Id } from '../vocabulary.js';

/** A relying party, as far as the protocol goes by it. Its `client_id` is the id of its connection. */
export interface Client {
  readonly id: Id;
  /** Whether it has a secret of its own (RFC 6749 §2.1). */
  readonly kind: 'confidential' | 'public';
  /** Where people may be sent back to, compared as they stand. */
  readonly redirectUris: readonly string[];
  /** The same after signing out. */
  readonly endUris: readonly string[];
  /** What it may learn of people beside who they are. */
  readonly releases: readonly Release[];
  /** What is believed of what it claims in pushed requests. */
  readonly claims: readonly Claim[];
}

/** Why an address cannot be registered. */
export type AddressProblem =
  'address' | 'address-fragment' | 'address-credentials' | 'address-plain' | 'address-scheme';

const LOOPBACK = /^(localhost|127(\.\d{1,3}){3}|\[::1\])$/;

/**
 * Why people may not be sent to an address, or undefined where they may: `https:`, `http:` on the person's own machine
 * (RFC 8252 §7.3), or an app's own scheme, which must have a dot (RFC 8252 §7.1), so that none is a scheme of browsers
 * such as `javascript:`. Without fragment (RFC 6749 §3.1.2) and without a name or password in it.
 */
export function addressProblem(address: string): AddressProblem | undefined {
  let url: URL;
  try {
    url = new URL(address);
  } catch {
    return 'address';
  }
  // What a browser would read differently is not the address that was registered.
  if (/[\u0000-\u0020\\\u007f-\uffff]/.test(address)) return 'address';
  if (address.includes('#')) return 'address-fragment';
  if (url.username !== '' || url.password !== '') return 'address-credentials';
  if (url.protocol === 'https:') return undefined;
  if (url.protocol === 'http:') return LOOPBACK.test(url.hostname) ? undefined : 'address-plain';
  return /^[a-z][a-z\d+-]*(\.[a-z\d+-]+)+:$/.test(url.protocol) ? undefined : 'address-scheme';
}
