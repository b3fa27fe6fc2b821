import { area } from '../../platform/area.js';
import { registerOidc } from './endpoints.js';
import { oidcHandling } from './handling.js';
import { oidcGrants } from './oidc-grant.model.js';
import { pagesBegin, pagesProve } from './pages.js';
import { signingKeys } from './signing-key.model.js';
import { keepSigningKeys, SigningKeys } from './signing-keys.js';

/** Applications that send people to our sign-in pages by OpenID Connect. */
export const oidcConnection = {
  handling: oidcHandling,
  ...area({
    name: 'oidc',
    handlers: { 'pages.begin': pagesBegin, 'pages.prove': pagesProve },
    tables: [oidcGrants, signingKeys],
    provides: ({ aside }) => ({ signing: new SigningKeys(aside) }),
    jobs: { 'keep-signing-keys': { everySeconds: 3600, run: async (deps) => await keepSigningKeys(deps) } },
    sweeps: [{ table: 'oidc_grants', when: 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 1 HOUR' }],
    endpoints: registerOidc,
  }),
};
