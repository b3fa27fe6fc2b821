import fc from 'fast-check';
import { expect, it } from 'vitest';
import { Refusal } from '../errors.js';
import { decodeCursor, encodeCursor, pageOf } from './cursor.js';

it('gives back what a page ended with, and takes nothing else', () => {
  const id = '01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11';
  expect(decodeCursor(encodeCursor(['Åsa', id]), ['string', 'id'])).toEqual(['Åsa', id]);
  expect(decodeCursor(undefined, ['id'])).toBeUndefined();
  for (const [cursor, shape] of [
    [encodeCursor([id]), ['string', 'id']],
    [encodeCursor(['x']), ['id']],
    [encodeCursor([1]), ['string']],
  ] as const)
    expect(() => decodeCursor(cursor, shape as readonly ('string' | 'id')[])).toThrow(Refusal);
  fc.assert(
    fc.property(fc.string(), (noise) => {
      try {
        decodeCursor(noise, ['id']);
      } catch (error) {
        expect(error).toBeInstanceOf(Refusal);
      }
    }),
  );
});

it('says that there is more only when there is', () => {
  const of = (rows: string[]) => pageOf(rows, 2, (row) => [row]);
  expect(of(['a', 'b'])).toEqual({ rows: ['a', 'b'], next: null });
  expect(of(['a', 'b', 'c'])).toEqual({ rows: ['a', 'b'], next: encodeCursor(['b']) });
  expect(of([])).toEqual({ rows: [], next: null });
});
