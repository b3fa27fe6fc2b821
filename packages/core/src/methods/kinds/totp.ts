import { OTP_ALGORITHMS, SELF_ACTIONS } from '../../vocabulary.js';
import { FIRST_PARAMETERS, methodSpec, PIN_PARAMETERS, selfParameters, SHOWS_HELD } from './spec.js';

export const totp = methodSpec({
  method: 'totp',
  reason:
    'Something held, a one-time-code device [3.1.4]; in hardware its seed cannot be read out. A PIN, a few digits before the code that are checked here, guards one that was found or stolen; they are too short to be a password, which beside another factor has eight characters at least [3.1.1.2], and so no second factor.',
  prompt: 'code',
  unsent: true,
  qualifiers: ['hardware', 'pin'],
  shows: (qualifiers) => ({ ...SHOWS_HELD, bound: qualifiers.includes('hardware') }),
  amr: () => ['otp'],
  coverage: 'two-factors',
  lastResort: false,
  offered: {
    parameters: {
      algorithm: { kind: 'one of', of: OTP_ALGORITHMS },
      digits: { kind: 'one of', of: [6, 8] },
      period: { kind: 'one of', of: [30, 60], says: 'Seconds' },
      codesToProve: { kind: 'one of', of: [1, 2] },
      window: { kind: 'whole', least: 0, most: 10, says: 'Steps accepted before and after now' },
      ...PIN_PARAMETERS,
      ...FIRST_PARAMETERS,
      ...selfParameters(SELF_ACTIONS),
    },
    firstPurposes: ['sign-in', 'enrol'],
    delivered: true,
    neverFor: [],
    checkedElsewhere: false,
    takesPin: true,
    bySelf: true,
    fromStock: true,
    carrier: 'phone',
    decoy: { can: [] },
  },
});
