import { expect, it } from 'vitest';
import { sourcePrefix } from './source.js';

it('takes the /24 of IPv4 and the /56 of IPv6 for one source, however the address is written', () => {
  expect(sourcePrefix('198.51.100.7')).toBe(sourcePrefix('198.51.100.200'));
  expect(sourcePrefix('198.51.100.7')).toBe(sourcePrefix('::ffff:198.51.100.9'));
  expect(sourcePrefix('198.51.100.7')).not.toBe(sourcePrefix('198.51.101.7'));
  expect(sourcePrefix('2001:db8:1:200::1')).toBe(sourcePrefix('2001:db8:1:2ff:ffff::9'));
  expect(sourcePrefix('2001:db8:1:200::1')).not.toBe(sourcePrefix('2001:db8:1:300::1'));
  expect(sourcePrefix('not an address')).toBe('unknown');
});
