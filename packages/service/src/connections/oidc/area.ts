import { area } from '../../platform/area.js';
import { oidcHandling } from './handling.js';
import { oidcGrants } from './oidc-grant.model.js';
import { signingKeys } from './signing-key.model.js';
import { keepSigningKeys, SigningKeys } from './signing-keys.js';

/** Applications that send people to our sign-in pages by OpenID Connect. */
export const oidcConnection = {
  handling: oidcHandling,
  ...area({
    name: 'oidc',
    tables: [oidcGrants, signingKeys],
    provides: ({ settingsPool }) => ({ signing: new SigningKeys(settingsPool) }),
    sweeps: [{ table: 'oidc_grants', when: 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 1 HOUR' }],
    serves: async () => {
      const { registerOidc } = await import('./endpoints.js');
      const { pagesBegin, pagesEnrol, pagesProve, pagesPutOff } = await import('./pages.js');
      return {
        handlers: {
          'pages.begin': pagesBegin,
          'pages.prove': pagesProve,
          'pages.enrol': pagesEnrol,
          'pages.putOff': pagesPutOff,
        },
        jobs: { 'keep-signing-keys': { everySeconds: 3600, run: async (deps) => await keepSigningKeys(deps) } },
        endpoints: registerOidc,
      };
    },
  }),
};
