import { methodSpec, SHOWS_HELD } from './spec.js';

export const certificate = methodSpec({
  method: 'certificate',
  reason: 'A key bound by client-authenticated TLS [3.2.5]; hardware and verified as for webauthn.',
  prompt: null,
  unsent: false,
  qualifiers: ['verified', 'hardware'],
  shows: (qualifiers) => ({
    ...SHOWS_HELD,
    knows: qualifiers.includes('verified'),
    phishingResistant: true,
    bound: qualifiers.includes('hardware'),
  }),
  amr: () => [],
  coverage: 'phishing-resistant',
  lastResort: false,
  offered: null,
});
