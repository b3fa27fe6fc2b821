import { area } from '../../platform/area.js';
import { authenticatorApplications } from './authenticator-application.model.js';
import { authenticators } from './authenticator.model.js';
import { carriers } from './carrier.model.js';
import { recoveryCodes } from './recovery-code.model.js';
import { webauthnCredentials } from './webauthn-credential.model.js';

/** What people prove themselves with, and what carries it. */
export const keyringArea = area({
  name: 'keyring',
  tables: [authenticatorApplications, authenticators, carriers, recoveryCodes, webauthnCredentials],
  sweeps: [{ table: 'authenticators', when: "state = 'pending' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY" }],
  serves: async () => {
    const { expireAuthenticators } = await import('./expire.js');
    const { keyringHandlers } = await import('./routes.js');
    return {
      handlers: keyringHandlers,
      jobs: { 'expire-authenticators': { everySeconds: 3600, run: expireAuthenticators } },
    };
  },
});
