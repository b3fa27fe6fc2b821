import { methodSpec, SHOWS_HELD } from './spec.js';

export const sshkey = methodSpec({
  method: 'sshkey',
  reason: 'A key in software [3.1.6].',
  prompt: null,
  unsent: false,
  qualifiers: [],
  shows: () => SHOWS_HELD,
  amr: () => [],
  coverage: 'two-factors',
  lastResort: false,
  offered: null,
});
