import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { drawPin, hasPin, LEAST_PIN, LONGEST_PIN, pinWeakness, readPin, readPinAndCode } from './index.js';

const digits = (least: number, most: number) =>
  fc.array(fc.integer({ min: 0, max: 9 }), { minLength: least, maxLength: most }).map((all) => all.join(''));

describe('a PIN before a code', () => {
  it('is taken apart from it, however they are grouped', () => {
    fc.assert(
      fc.property(
        digits(LEAST_PIN, LONGEST_PIN),
        digits(6, 8),
        fc.constantFrom('', ' ', '-', '  '),
        (pin, code, gap) => {
          expect(readPinAndCode(`${pin}${gap}${code}`, code.length)).toEqual({ pin, code });
          expect(hasPin(`${pin}${gap}${code}`)).toBe(true);
          expect(readPinAndCode(code, code.length)).toEqual({ pin: undefined, code });
          expect(hasPin(code)).toBe(false);
        },
      ),
    );
    for (const typed of ['', '12345', 'abcd123456', `${'1'.repeat(LONGEST_PIN + 1)}123456`, '１２３４５６\u0000'])
      expect(readPinAndCode(typed, 6), typed).toBeUndefined();
    expect(readPinAndCode('４７１１ １２３４５６', 6)).toEqual({ pin: '4711', code: '123456' });
  });

  it('may not be what is tried first, and says why', () => {
    expect(['4711', '2580', '902817', '135790'].map((pin) => pinWeakness(pin))).toEqual([
      undefined,
      undefined,
      undefined,
      undefined,
    ]);
    const whys = ['1111', '1234', '8765', '7890', '4747', '12', 'abcd', '1'.repeat(13)].map((pin) => pinWeakness(pin));
    expect(whys).toEqual(['pattern', 'pattern', 'pattern', 'pattern', 'pattern', 'short', 'digits', 'long']);
    expect(pinWeakness('4711', 6)).toBe('short');
    expect(readPin('47 11')).toBe('4711');
    expect(readPin('471')).toBeUndefined();
  });

  it('that is drawn may be chosen, has the length that was asked for, and prefers no digit', () => {
    const counts = new Array<number>(10).fill(0);
    let at = 0;
    // Bytes in a row rather than by chance: each value comes equally often.
    const random = (bytes: number) => Uint8Array.from({ length: bytes }, () => (at = (at * 5 + 113) % 256));
    for (let i = 0; i < 2_000; i++) {
      const pin = drawPin(random, 6);
      expect(pinWeakness(pin, 6)).toBeUndefined();
      for (const digit of pin) counts[Number(digit)]! += 1;
    }
    for (const count of counts) expect(count).toBeGreaterThan(1_000);
  });
});
