import { methodSpec, SHOWS_HELD } from './spec.js';

export const voice = methodSpec({
  method: 'voice',
  reason: 'Something held, out of band over the telephone network: restricted [3.1.3.3].',
  prompt: 'code',
  unsent: false,
  qualifiers: [],
  shows: () => ({ ...SHOWS_HELD, restricted: true }),
  amr: () => [],
  coverage: 'two-factors',
  lastResort: false,
  offered: null,
});
