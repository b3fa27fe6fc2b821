import { methodSpec, SHOWS_NOTHING } from './spec.js';

export const password = methodSpec({
  method: 'password',
  reason: 'Something known [3.1.1].',
  prompt: 'password',
  unsent: false,
  qualifiers: [],
  shows: () => ({ ...SHOWS_NOTHING, knows: true }),
  amr: () => ['pwd'],
  coverage: 'weak',
  lastResort: false,
  offered: {
    parameters: {
      leastLength: {
        kind: 'whole',
        least: 8,
        most: 64,
        says: 'Characters of a new password at least; 12 unless said',
      },
    },
    firstPurposes: ['sign-in', 'enrol'],
    // Nobody resets a password by that password.
    delivered: true,
    neverFor: ['reset'],
    checkedElsewhere: true,
    takesPin: false,
    // Where it is theirs to set, it is by the place for passwords.
    bySelf: false,
    fromStock: false,
    carrier: null,
    decoy: { can: [] },
  },
});
