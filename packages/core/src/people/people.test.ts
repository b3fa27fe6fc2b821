import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { coverageOf, NAME_KEY_MAX, nameKey, nameTerms, seenOf, serialKey } from './index.js';

describe('a serial number', () => {
  it.each(['WX-00421', 'wx 00421', 'ＷＸ／００４２１', 'w.x:0_0421'])('%j is found as WX00421', (typed) =>
    expect(serialKey(typed)).toBe('WX00421'),
  );
});

describe('a name', () => {
  it.each([
    ['Ines Marlow', 'ines marlow'],
    ['  Åsne  O’Hara-Vik ', "asne o'hara vik"],
    ['ＦＵＬＬ Width', 'full width'],
    ['Žofia Łis', 'zofia łis'],
    ['港湾 管制', '港湾 管制'],
    ['💥', ''],
  ])('%j is sorted and searched as %j', (name, key) => expect(nameKey(name)).toBe(key));

  it('is found by the beginning of each of its words, and by one word after the other', () => {
    const terms = nameTerms(nameKey('Ines Maria Marlow'));
    for (const typed of ['ines', 'mar', 'marlow i', 'MARIA mar', 'ínes maria marl'])
      expect(
        terms.some((term) => term.startsWith(nameKey(typed))),
        typed,
      ).toBe(true);
    expect(terms.some((term) => term.startsWith('low'))).toBe(false);
    expect(nameTerms(nameKey('Bo Bo'))).toEqual(['bo bo']);
  });

  it('folds to a bounded key that folds to itself, whatever is typed', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 200 }), (typed) => {
        const key = nameKey(typed);
        expect([...key].length).toBeLessThanOrEqual(NAME_KEY_MAX);
        expect(nameKey(key)).toBe(key);
        expect(nameTerms(nameKey(typed)).length).toBeLessThanOrEqual(6);
      }),
    );
  });
});

describe('coverage', () => {
  it.each([
    [[], 'nothing'],
    [['password'], 'weak'],
    [['recovery', 'password'], 'weak'],
    [['password', 'totp'], 'two-factors'],
    [['hotp'], 'two-factors'],
    [['password', 'totp', 'webauthn'], 'phishing-resistant'],
  ] as const)('of %j is %s', (methods, coverage) => expect(coverageOf(methods)).toBe(coverage));

  it('never falls when something is added', () => {
    const order = ['nothing', 'weak', 'two-factors', 'phishing-resistant'];
    const methods = fc.array(fc.constantFrom('password', 'totp', 'webauthn', 'email', 'push', 'pass'));
    fc.assert(
      fc.property(methods, methods, (some, more) => {
        expect(order.indexOf(coverageOf([...some, ...more]))).toBeGreaterThanOrEqual(order.indexOf(coverageOf(some)));
      }),
    );
  });
});

it.each([
  [undefined, 'never'],
  [0, 'this-week'],
  [6.9, 'this-week'],
  [7, 'this-month'],
  [89, 'this-quarter'],
  [90, 'longer-ago'],
] as const)('somebody last seen %s days ago is filtered under %s', (days, seen) => {
  const now = new Date('2026-11-23T08:00:00Z');
  expect(seenOf(days === undefined ? undefined : new Date(now.getTime() - days * 86_400_000), now)).toBe(seen);
});
