import { expect, it } from 'vitest';
import { isBlocked, preparePassword, weaknessOf } from './index.js';

it.each([
  ['short', 'too-short'],
  ['x'.repeat(257), 'too-long'],
  ['aaaaaaaaaaaaaaaa', 'one-character'],
  ['Ines.Marlow@X', 'own-name'],
  ['harbour lights at dawn', undefined],
  ['🚢🚢⚓🌊🐟🦀🐚🌅🗼🧭🪝🛟', undefined],
])('%s: %s', (password, why) => {
  expect(weaknessOf(password, { loginNames: ['ines.marlow@x'] })).toBe(why);
});

it('hashes the same keys alike, however a keyboard composes them', () => {
  expect(preparePassword('Zoe\u0308')).toBe(preparePassword('Zoë'));
});

it.each([
  ['Wexmoor2026!!', true],
  ['2026 wexmoor …', true],
  ['wexmoorwexmoorwexmoor', true],
  ['dragon1234567890', true],
  ['dragonwexmoor', true],
  ['a dragon over wexmoor', false],
  ['wexmoors', false],
])('%s is blocked: %s', (password, blocked) => {
  const lists = { common: new Set(['dragon', '1234567890']), words: ['wexmoor'] };
  expect(isBlocked(preparePassword(password), lists)).toBe(blocked);
});
