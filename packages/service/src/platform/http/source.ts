import ipaddr from 'ipaddr.js';

/**
 * The network that a source address stands for: /24 of IPv4, /56 of IPv6 (what one household or office is given), so
 * that a budget cannot be escaped by taking the next address. IPv4 written as IPv6 is IPv4.
 */
export function sourcePrefix(address: string): string {
  if (!ipaddr.isValid(address)) return 'unknown';
  const parsed = ipaddr.process(address);
  const bytes = parsed.toByteArray();
  const kept = parsed.kind() === 'ipv4' ? bytes.slice(0, 3) : bytes.slice(0, 7);
  return `${parsed.kind()}:${Buffer.from(kept).toString('hex')}`;
}
