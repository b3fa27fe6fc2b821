import { area } from '../../platform/area.js';
import { authenticatorApplications } from './authenticator-application.model.js';
import { authenticators } from './authenticator.model.js';
import { carriers } from './carrier.model.js';
import { expireAuthenticators } from './expire.js';
import { keyringHandlers } from './routes.js';
import { webauthnCredentials } from './webauthn-credential.model.js';

/** What people prove themselves with, and what carries it. */
export const keyringArea = area({
  name: 'keyring',
  handlers: keyringHandlers,
  tables: [authenticatorApplications, authenticators, carriers, webauthnCredentials],
  jobs: { 'expire-authenticators': { everySeconds: 3600, run: expireAuthenticators } },
  sweeps: [{ table: 'authenticators', when: "state = 'pending' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY" }],
});
