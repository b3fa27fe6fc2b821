import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { hasPin, readCode, readPinAndCode } from '../codes/index.js';
import {
  bitsOf,
  drawLookUpSecret,
  groupedLookUpSecret,
  LEAST_LETTERS,
  LETTERS,
  MOST_LETTERS,
  PASS_LETTERS,
  readLookUpSecret,
  SPELLED,
  spelledLookUpSecret,
} from './index.js';

const bytes = fc.uint8Array({ minLength: 16, maxLength: 16 });
const drawnFrom = (some: Uint8Array, letters?: number) => drawLookUpSecret((n) => some.subarray(0, n), letters);

describe('look-up secrets', () => {
  it('have chance enough to be used without another factor', () => {
    expect(new Set(LETTERS).size).toBe(LETTERS.length);
    expect(Math.log2(LETTERS.length)).toBe(bitsOf(1));
    expect(bitsOf(PASS_LETTERS)).toBeGreaterThanOrEqual(60);
    expect(Object.keys(SPELLED).join('')).toBe(LETTERS);
  });

  it('follow from all of the bytes that were drawn, and from each alone', () => {
    fc.assert(
      fc.property(bytes, fc.nat({ max: 7 }), fc.integer({ min: 1, max: 255 }), (some, at, change) => {
        const other = Uint8Array.from(some);
        other[at]! ^= change;
        expect(drawnFrom(some)).toHaveLength(PASS_LETTERS);
        expect(drawnFrom(other)).not.toBe(drawnFrom(some));
      }),
    );
    // Every letter at every place, each as often as any other.
    const counts = new Map<string, number>();
    for (let byte = 0; byte < 256; byte++)
      for (const [at, letter] of [...drawnFrom(new Uint8Array(16).fill(byte))].entries())
        counts.set(`${at} ${letter}`, (counts.get(`${at} ${letter}`) ?? 0) + 1);
    expect(counts.size).toBe(PASS_LETTERS * LETTERS.length);
    expect(new Set(counts.values())).toEqual(new Set([16]));
  });

  it('are read however they are typed', () => {
    const separators = fc.array(fc.constantFrom('', ' ', '-', '  ', '\u2013', '\u00a0', '\n'), {
      minLength: MOST_LETTERS,
      maxLength: MOST_LETTERS,
    });
    fc.assert(
      fc.property(
        bytes,
        fc.integer({ min: LEAST_LETTERS, max: MOST_LETTERS }),
        separators,
        fc.boolean(),
        (some, letters, between, low) => {
          const secret = drawnFrom(some, letters);
          const typed = [...secret].map((letter, i) => between[i]! + (low ? letter.toLowerCase() : letter)).join('');
          expect(readLookUpSecret(typed)).toBe(secret);
          expect(readLookUpSecret(groupedLookUpSecret(secret))).toBe(secret);
          const wide = [...secret].map((letter) => String.fromCodePoint(letter.codePointAt(0)! + 0xfee0)).join('');
          expect(readLookUpSecret(wide)).toBe(secret);
          expect(readLookUpSecret(secret.slice(0, LEAST_LETTERS - 1))).toBeUndefined();
          expect(readLookUpSecret(secret.padEnd(MOST_LETTERS + 1, 'A'))).toBeUndefined();
          expect(readLookUpSecret(`${secret.slice(1)}B`)).toBeUndefined();
        },
      ),
    );
    expect(groupedLookUpSecret('ACFHJKLMORTUWXYZ')).toBe('ACFH-JKLM-ORTU-WXYZ');
    expect(spelledLookUpSecret('ACFHJK')).toEqual(['Alfa Charlie Foxtrot Hotel', 'Juliett Kilo']);
  });

  it('are never taken for a code of a device or a PIN before one, nor those for them', () => {
    fc.assert(
      fc.property(bytes, fc.stringMatching(/^[0-9 -]{1,24}$/), (some, digits) => {
        const secret = groupedLookUpSecret(drawnFrom(some));
        expect(readCode(secret)).toBeUndefined();
        expect(readPinAndCode(secret, 6)).toBeUndefined();
        expect(hasPin(secret)).toBe(false);
        expect(readLookUpSecret(digits)).toBeUndefined();
      }),
    );
    fc.assert(fc.property(fc.string({ unit: 'binary' }), (text) => void readLookUpSecret(text)));
  });
});
