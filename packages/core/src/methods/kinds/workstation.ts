import { methodSpec, SHOWS_HELD } from './spec.js';

export const workstation = methodSpec({
  method: 'workstation',
  reason: 'A key of the device in front of the person, bound to it; verified where unlocking it is asked for.',
  prompt: null,
  unsent: false,
  qualifiers: ['verified'],
  shows: (qualifiers) => ({ ...SHOWS_HELD, knows: qualifiers.includes('verified'), bound: true }),
  amr: () => [],
  coverage: 'two-factors',
  lastResort: false,
  offered: null,
});
