import { SELF_ACTIONS } from '../../vocabulary.js';
import { methodSpec, PIN_PARAMETERS, selfParameters, SHOWS_HELD } from './spec.js';

export const hotp = methodSpec({
  method: 'hotp',
  reason: 'Something held, a one-time-code device [3.1.4], like one that goes by a clock.',
  prompt: 'code',
  unsent: true,
  qualifiers: ['hardware', 'pin'],
  shows: (qualifiers) => ({ ...SHOWS_HELD, bound: qualifiers.includes('hardware') }),
  amr: () => ['otp'],
  coverage: 'two-factors',
  lastResort: false,
  offered: {
    parameters: {
      lookAhead: {
        kind: 'whole',
        least: 3,
        most: 100,
        says: 'Codes that may have been pressed for nothing; 10 unless said',
      },
      ...PIN_PARAMETERS,
      ...selfParameters(SELF_ACTIONS),
    },
    firstPurposes: ['sign-in', 'enrol'],
    delivered: true,
    neverFor: [],
    checkedElsewhere: false,
    takesPin: true,
    bySelf: false,
    fromStock: true,
    carrier: 'fob',
    // A counter's code is asked for as a clock's is: which of them somebody holds is nobody's business yet.
    decoy: 'hidden',
  },
});
