import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { LOGIN_NAME_MAX, normaliseLoginName } from './index.js';

describe('login names', () => {
  it.each([
    ['  Ines.Marlow ', 'ines.marlow', 'plain'],
    ['Ines@Wexmoor.EXAMPLE', 'ines@wexmoor.example', 'mail'],
    ['WEX\\IMarlow', 'wex\\imarlow', 'domain'],
    ['tower-03:imarlow', 'tower-03:imarlow', 'host'],
    ['ｉｎｅｓ．ｍａｒｌｏｗ', 'ines.marlow', 'plain'],
    ['Zoë', 'zoë', 'plain'],
    ['مرفأ', 'مرفأ', 'plain'],
  ])('%s is %s (%s)', (typed, value, kind) => {
    expect(normaliseLoginName(typed)).toEqual({ ok: true, value, kind });
  });

  it.each([
    ['', 'empty'],
    [' \t', 'empty'],
    ['a b', 'character'],
    ['a\u0000b', 'character'],
    ['a\u200bb', 'character'],
    ['a\ufe0f', 'character'],
    ['a\u3164b', 'character'],
    ['a\u202eb', 'character'],
    ['a@b@c', 'shape'],
    ['@b', 'shape'],
    ['WEX\\', 'shape'],
    ['a@b:c', 'shape'],
    ['x'.repeat(LOGIN_NAME_MAX + 1), 'too-long'],
  ])('refuses %j as %s', (typed, why) => {
    expect(normaliseLoginName(typed)).toEqual({ ok: false, why });
  });

  it('gives the same for what it gave', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (typed) => {
        const once = normaliseLoginName(typed);
        if (once.ok) expect(normaliseLoginName(once.value)).toEqual(once);
      }),
      { numRuns: 1000 },
    );
  });
});
