import { methodSpec, SHOWS_HELD } from './spec.js';

export const recovery = methodSpec({
  method: 'recovery',
  reason: 'Look-up secrets, something held [3.1.2], for the day that the others are gone.',
  prompt: 'code',
  unsent: true,
  qualifiers: [],
  shows: () => SHOWS_HELD,
  amr: () => [],
  coverage: 'weak',
  lastResort: true,
  offered: null,
});
