import { FIRST_PARAMETERS, methodSpec, selfParameters, SHOWS_HELD } from './spec.js';

export const push = methodSpec({
  method: 'push',
  reason:
    'Something held, out of band [3.1.3]; verified, unlocked by something known or a trait. What is approved is not bound to where it is used: somebody can be talked into it, whatever number is compared, so it is not phishing-resistant [3.2.5].',
  prompt: 'wait',
  unsent: false,
  qualifiers: ['verified'],
  shows: (qualifiers) => ({ ...SHOWS_HELD, knows: qualifiers.includes('verified') }),
  // A key that browsers keep in software, and somebody who answered by it.
  amr: () => ['swk', 'user'],
  coverage: 'two-factors',
  lastResort: false,
  offered: {
    parameters: {
      number: {
        kind: 'one of',
        of: ['not-typed'],
        says: 'A tap is enough where something else was proved before; administrators type the number all the same',
      },
      unlock: {
        kind: 'one of',
        of: ['required'],
        says: 'New phones have to be set up with their screen lock, which is asked for with each approval',
      },
      codes: {
        kind: 'one of',
        of: ['made'],
        says: 'A new phone also gets a key for time-based codes, where those may be enrolled: for when it has no network',
      },
      life: { kind: 'whole', least: 30, most: 180, says: 'Seconds that a phone is asked; 90 unless said' },
      mostPhones: { kind: 'whole', least: 1, most: 10, says: 'Phones of one person at most; 10 unless said' },
      ...FIRST_PARAMETERS,
      ...selfParameters(['enrol', 'name', 'prefer', 'remove']),
    },
    firstPurposes: ['sign-in', 'enrol'],
    // Phones have to be let in first.
    delivered: false,
    neverFor: [],
    checkedElsewhere: false,
    takesPin: false,
    bySelf: true,
    fromStock: false,
    carrier: 'phone',
    // Whether somebody has a phone that answers is nobody's business before they have proved anything.
    decoy: 'hidden',
  },
});
