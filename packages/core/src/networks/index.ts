import ipaddr from 'ipaddr.js';

/** A named list of address ranges. */
export interface Network {
  readonly name: string;
  /** As {@link readRange} writes them. */
  readonly ranges: readonly string[];
  /** ISO 3166-1, two letters. */
  readonly country: string | null;
  readonly city: string | null;
}

export type RangeProblem = 'range-shape' | 'range-beyond';

/**
 * Brings a range into its one spelling: CIDR (RFC 4632, RFC 4291), IPv6 as RFC 5952 writes it; an address alone is a range
 * of one. IPv4 addresses mapped into IPv6 (`::ffff:…`) become plain IPv4, so that one spelling cannot slip past the other.
 *
 * @returns `range-beyond` with what was probably meant, where bits are set beyond the prefix
 */
export function readRange(
  text: string,
): { readonly range: string } | { readonly problem: RangeProblem; readonly meant: string } {
  const trimmed = text.trim();
  const written = trimmed.includes('/') ? trimmed : `${trimmed}/${trimmed.includes(':') ? 128 : 32}`;
  // The library also takes shorter and octal forms of IPv4, which others read differently.
  const plain = /^(\d{1,3}(\.\d{1,3}){3}|[\da-f.]*:[\da-f:.]*)\/\d{1,3}$/i.test(written) && !/(^|\.)0\d/.test(written);
  if (!plain || !ipaddr.isValidCIDR(written)) return { problem: 'range-shape', meant: '' };
  const [parsed, bits] = ipaddr.parseCIDR(written);
  const mapped = parsed.kind() === 'ipv6' && (parsed as ipaddr.IPv6).isIPv4MappedAddress() && bits >= 96;
  const address = mapped ? (parsed as ipaddr.IPv6).toIPv4Address() : parsed;
  const length = mapped ? bits - 96 : bits;
  const first = masked(address.toByteArray(), length);
  const range = `${ipaddr.fromByteArray(first).toString()}/${length}`;
  return first.some((byte, i) => byte !== address.toByteArray()[i])
    ? { problem: 'range-beyond', meant: range }
    : { range };
}

/** The bytes of an address with everything beyond a prefix cleared. */
function masked(bytes: readonly number[], length: number): number[] {
  return bytes.map((byte, i) => byte & (0xff << Math.max(0, Math.min(8, 8 - (length - i * 8)))) & 0xff);
}

/** The networks of an installation, ready to say which an address lies in. They may overlap. */
export class NetworkTable {
  /** By length of the prefix and family, then by its bytes. */
  readonly #byLength = new Map<string, { bits: number; networks: Map<string, Network[]> }>();

  constructor(networks: Iterable<Network>) {
    for (const network of networks)
      for (const range of network.ranges) {
        const [address, bits] = ipaddr.parseCIDR(range);
        const at = `${address.kind()} ${bits}`;
        let level = this.#byLength.get(at);
        if (!level) this.#byLength.set(at, (level = { bits, networks: new Map() }));
        const first = masked(address.toByteArray(), bits).join('.');
        const there = level.networks.get(first);
        if (!there) level.networks.set(first, [network]);
        else if (!there.includes(network)) there.push(network);
      }
  }

  /**
   * Every network that an address lies in, the narrowest range first. What is no address lies nowhere.
   *
   * @param text IPv4 or IPv6, also IPv4 mapped into IPv6, also with a zone (`fe80::1%eth0`)
   */
  locate(text: string): Network[] {
    const bare = text.replace(/%.*$/, '');
    if (!ipaddr.isValid(bare)) return [];
    // `process` undoes mapping.
    const address = ipaddr.process(bare);
    const bytes = address.toByteArray();
    const found: { bits: number; networks: readonly Network[] }[] = [];
    for (const [at, { bits, networks }] of this.#byLength) {
      if (!at.startsWith(`${address.kind()} `)) continue;
      const here = networks.get(masked(bytes, bits).join('.'));
      if (here) found.push({ bits, networks: here });
    }
    return [...new Set(found.sort((a, b) => b.bits - a.bits).flatMap(({ networks }) => networks))];
  }
}
