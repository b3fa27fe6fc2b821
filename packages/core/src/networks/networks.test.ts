import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { NetworkTable, readRange } from './index.js';

const network = (name: string, ...ranges: string[]) => ({
  name,
  ranges: ranges.map((text) => {
    const read = readRange(text);
    if ('problem' in read) throw new Error(text);
    return read.range;
  }),
  country: null,
  city: null,
});
const names = (table: NetworkTable, address: string) => table.locate(address).map((one) => one.name);

describe('a range', () => {
  it.each([
    ['10.1.0.0/16', '10.1.0.0/16'],
    [' 192.0.2.7 ', '192.0.2.7/32'],
    ['0.0.0.0/0', '0.0.0.0/0'],
    ['2001:DB8:0:0::/48', '2001:db8::/48'],
    ['2001:db8::1', '2001:db8::1/128'],
    ['::ffff:10.1.0.0/112', '10.1.0.0/16'],
    ['::ffff:c000:207', '192.0.2.7/32'],
  ])('%j is written %s', (text, range) => {
    expect(readRange(text)).toEqual({ range });
  });

  it.each([
    ['10.1.2.3/16', 'range-beyond', '10.1.0.0/16'],
    ['2001:db8::1/48', 'range-beyond', '2001:db8::/48'],
    ['10.1/16', 'range-shape', ''],
    ['010.1.0.0/16', 'range-shape', ''],
    ['0x0a.1.0.0/16', 'range-shape', ''],
    ['167837696/16', 'range-shape', ''],
    ['10.1.0.0/33', 'range-shape', ''],
    ['10.1.0.256', 'range-shape', ''],
    ['10.1.0.0-10.2.0.0', 'range-shape', ''],
    ['wexmoor.example', 'range-shape', ''],
    ['', 'range-shape', ''],
  ])('%j is none: %s', (text, problem, meant) => {
    expect(readRange(text)).toEqual({ problem, meant });
  });

  it('never throws, whatever is typed', () => {
    fc.assert(fc.property(fc.oneof(fc.string(), fc.ipV4Extended(), fc.ipV6()), (text) => void readRange(text)));
  });
});

describe('networks', () => {
  it('overlap, the narrowest first, and take an address in any of its spellings', () => {
    const table = new NetworkTable([
      network('anywhere', '0.0.0.0/0', '::/0'),
      network('port', '10.0.0.0/8', '2001:db8::/32'),
      network('tower', '10.1.2.0/24', '10.1.3.0/24', '2001:db8:1::/48'),
    ]);
    expect(names(table, '10.1.2.3')).toEqual(['tower', 'port', 'anywhere']);
    expect(names(table, '::ffff:10.1.2.3')).toEqual(['tower', 'port', 'anywhere']);
    expect(names(table, '::ffff:a01:203')).toEqual(['tower', 'port', 'anywhere']);
    expect(names(table, '2001:DB8:1:0::5%eth0')).toEqual(['tower', 'port', 'anywhere']);
    expect(names(table, '192.0.2.1')).toEqual(['anywhere']);
    expect(names(table, 'not an address')).toEqual([]);
    expect(names(new NetworkTable([network('six', '::/0')]), '10.1.2.3')).toEqual([]);
  });

  it('hold exactly the addresses that arithmetic says they hold', () => {
    const number = (address: string) => address.split('.').reduce((sum, part) => sum * 256 + Number(part), 0);
    const range = fc.tuple(fc.nat(0xffffffff), fc.integer({ min: 0, max: 32 })).map(([at, bits]) => {
      const first = bits === 0 ? 0 : ((at >>> (32 - bits)) << (32 - bits)) >>> 0;
      return {
        text: `${[24, 16, 8, 0].map((shift) => (first >>> shift) & 255).join('.')}/${bits}`,
        first,
        size: 2 ** (32 - bits),
      };
    });
    fc.assert(
      fc.property(
        fc.array(range, { maxLength: 8 }),
        fc.ipV4(),
        fc.nat(7),
        fc.nat(),
        (ranges, anywhere, which, offset) => {
          const table = new NetworkTable(ranges.map(({ text }, i) => network(`n${i}`, text)));
          const inside = ranges[which];
          const at = inside && inside.first + (offset % inside.size);
          const address = at === undefined ? anywhere : [24, 16, 8, 0].map((shift) => (at >>> shift) & 255).join('.');
          const expected = ranges.flatMap(({ first, size }, i) =>
            number(address) >= first && number(address) < first + size ? [`n${i}`] : [],
          );
          expect(names(table, address).sort()).toEqual(expected.sort());
        },
      ),
    );
  });
});
