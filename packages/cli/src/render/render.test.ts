import stringWidth from 'string-width';
import { expect, it } from 'vitest';
import { facts, plain, table } from './table.js';
import { relative } from './time.js';

const rows = [
  { name: 'Bram', why: 'a very long reason that takes more room than there is on the line' },
  { name: '港湾管制', why: 'x' },
];
const columns = [
  { heading: 'NAME', cell: (row: (typeof rows)[0]) => row.name },
  { heading: 'N', cell: () => '7', align: 'right' as const },
  { heading: 'WHY', cell: (row: (typeof rows)[0]) => row.why, flexible: true },
];

it('fits the width by cutting what may be cut, counting wide characters as wide', () => {
  const lines = table(rows, columns, { width: 40, colour: false }).trimEnd().split('\n');
  expect(Math.max(...lines.map((line) => stringWidth(line)))).toBe(40);
  expect(lines[1]).toContain('…');
  const column = (line: string) => stringWidth(line.slice(0, line.indexOf('7')));
  expect(column(lines[1]!)).toBe(column(lines[2]!));
});

it('breaks sentences between words, each line in its column, and loses none', () => {
  const wrapping = columns.map(({ flexible, ...column }) => ({ ...column, wraps: flexible ?? false }));
  const lines = table(rows, wrapping, { width: 40, colour: false }).trimEnd().split('\n');
  expect(Math.max(...lines.map((line) => stringWidth(line)))).toBeLessThanOrEqual(40);
  const from = lines[0]!.indexOf('WHY');
  const sentence = lines.slice(
    1,
    lines.findIndex((line) => line.startsWith('港')),
  );
  expect(sentence.map((line) => line.slice(from)).join(' ')).toBe(rows[0]!.why);
  expect(sentence.slice(1).every((line) => line.slice(0, from).trim() === '')).toBe(true);
});

it('lets no control character of others through', () => {
  expect(plain('\u001b[31mred\u202E')).toBe('�[31mred�');
  expect(facts([['A', '\u0007']])).toBe('A  �\n');
  expect(table([], columns, { width: 40, colour: false })).toBe('Nothing to show.\n');
});

it.each([
  [-30, 'now'],
  [-90, '1 minute ago'],
  [-7_300, '2 hours ago'],
  [90_000, 'tomorrow'],
  [-40 * 86_400, 'last month'],
])('%i seconds from now is %s', (seconds, text) => {
  const now = new Date('2026-11-23T08:00:00Z');
  expect(relative(new Date(now.getTime() + seconds * 1000).toISOString(), now)).toBe(text);
});
