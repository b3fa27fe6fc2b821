import { KEY_ALGORITHMS } from '../../vocabulary.js';
import { FIRST_PARAMETERS, methodSpec, selfParameters, SHOWS_HELD } from './spec.js';

export const webauthn = methodSpec({
  method: 'webauthn',
  reason:
    'Something held, bound to the place by name [3.1.6, 3.2.5]; verified, what activates it is a second factor [3.1.7]; only device-bound keys are kept from being synced, and so from level 2 at most.',
  prompt: 'webauthn',
  unsent: false,
  qualifiers: ['verified', 'device-bound'],
  shows: (qualifiers) => ({
    ...SHOWS_HELD,
    knows: qualifiers.includes('verified'),
    phishingResistant: true,
    bound: qualifiers.includes('device-bound'),
  }),
  // A key that stays in its device, or one that may be in many; whoever used it touched something.
  amr: (can) => [can.includes('device-bound') ? 'hwk' : 'swk', 'user'],
  coverage: 'phishing-resistant',
  lastResort: false,
  offered: {
    parameters: {
      counter: {
        kind: 'one of',
        of: ['flag'],
        says: 'A counter that does not go on, as of a copy, is only flagged; it is refused unless said',
      },
      attestation: {
        kind: 'one of',
        of: ['asked', 'required'],
        says: 'Whether new keys show who made them; required: it has to lead to whom the installation trusts',
      },
      onlyModels: { kind: 'models', says: 'Of these models alone; needs attestation required' },
      noModels: { kind: 'models', says: 'Of none of these models; as sure as the attestation is' },
      verification: {
        kind: 'one of',
        of: ['required', 'discouraged'],
        says: 'Of the holder, by a PIN or a finger; otherwise where keys can, and as the rules ask',
      },
      discoverable: {
        kind: 'one of',
        of: ['required', 'discouraged'],
        says: 'Whether keys keep in themselves whose they are, to be used without a name',
      },
      attachment: {
        kind: 'one of',
        of: ['platform', 'cross-platform'],
        says: 'Part of the device alone, or apart from it alone',
      },
      deviceBound: {
        kind: 'one of',
        of: ['required'],
        says: 'No keys that are copied to other devices of their holder',
      },
      algorithms: { kind: 'some of', of: KEY_ALGORITHMS, says: 'All unless said' },
      shouldHold: {
        kind: 'whole',
        least: 2,
        most: 5,
        says: 'Keys that somebody should hold; told in coverage, never refused',
      },
      ...FIRST_PARAMETERS,
      ...selfParameters(['enrol', 'name', 'prefer', 'test', 'remove']),
    },
    firstPurposes: ['sign-in', 'enrol'],
    delivered: true,
    neverFor: [],
    checkedElsewhere: false,
    takesPin: false,
    bySelf: true,
    fromStock: false,
    carrier: 'security-key',
    decoy: { can: ['verified', 'device-bound'] },
  },
});
