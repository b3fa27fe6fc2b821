import { methodSpec, SHOWS_NOTHING } from './spec.js';

export const email = methodSpec({
  method: 'email',
  reason: 'No factor: it does not show possession of a device [3.1.3.1].',
  prompt: 'code',
  unsent: false,
  qualifiers: [],
  shows: () => SHOWS_NOTHING,
  amr: () => [],
  coverage: 'weak',
  lastResort: false,
  offered: null,
});
