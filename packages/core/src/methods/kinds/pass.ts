import { methodSpec, SHOWS_HELD } from './spec.js';

export const pass = methodSpec({
  method: 'pass',
  reason: 'A look-up secret, something held [3.1.2], for the day that the others are gone.',
  prompt: 'code',
  unsent: true,
  qualifiers: [],
  shows: () => SHOWS_HELD,
  amr: () => [],
  coverage: 'weak',
  lastResort: true,
  offered: {
    // How long one lives and how often it is used is bounded by who gives it, not by who gets it.
    parameters: {},
    firstPurposes: ['sign-in', 'enrol'],
    // Whoever could set a password by it would keep more than was given.
    delivered: true,
    neverFor: ['reset', 'caller-check'],
    checkedElsewhere: false,
    takesPin: false,
    bySelf: false,
    fromStock: false,
    carrier: null,
    // Asked for where a code is: whether somebody has been given one is nobody's business.
    decoy: 'hidden',
  },
});
