import { expect, it } from 'vitest';
import { preparePassword, weaknessOf } from './index.js';

it.each([
  ['short', 'too-short'],
  ['x'.repeat(257), 'too-long'],
  ['aaaaaaaaaaaaaaaa', 'one-character'],
  ['Ines.Marlow@X', 'own-name'],
  ['harbour lights at dawn', undefined],
  ['🚢🚢⚓🌊🐟🦀🐚🌅🗼🧭🪝🛟', undefined],
])('%s: %s', (password, why) => {
  expect(weaknessOf(password, ['ines.marlow@x'])).toBe(why);
});

it('hashes the same keys alike, however a keyboard composes them', () => {
  expect(preparePassword('Zoe\u0308')).toBe(preparePassword('Zoë'));
});
