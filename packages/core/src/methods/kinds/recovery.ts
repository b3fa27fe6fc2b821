import { methodSpec, selfParameters, SHOWS_HELD } from './spec.js';

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
  offered: {
    // How many and how long they are is the same for everybody: a setting.
    parameters: selfParameters(['enrol', 'remove']),
    // For coming to something new; where they were good for applications, a sheet of paper would be a second factor for years.
    firstPurposes: ['enrol'],
    delivered: true,
    neverFor: ['caller-check'],
    checkedElsewhere: false,
    takesPin: false,
    bySelf: true,
    fromStock: false,
    carrier: 'paper',
    decoy: 'hidden',
  },
});
