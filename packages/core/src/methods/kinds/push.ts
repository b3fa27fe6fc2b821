import { methodSpec, SHOWS_HELD } from './spec.js';

export const push = methodSpec({
  method: 'push',
  reason: 'Something held, out of band [3.1.3]; verified, unlocked by something known or a trait.',
  prompt: 'wait',
  unsent: false,
  qualifiers: ['verified'],
  shows: (qualifiers) => ({ ...SHOWS_HELD, knows: qualifiers.includes('verified') }),
  amr: () => [],
  coverage: 'two-factors',
  lastResort: false,
  offered: null,
});
