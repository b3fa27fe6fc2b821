import { area } from '../../platform/area.js';
import { authenticatorApplications } from './authenticator-application.model.js';
import { authenticators } from './authenticator.model.js';
import { carriers, EVER_USED } from './carrier.model.js';
import { recoveryCodes } from './recovery-code.model.js';
import { webauthnCredentials } from './webauthn-credential.model.js';

/** What people prove themselves with, and what carries it. */
export const keyringArea = area({
  name: 'keyring',
  tables: [authenticatorApplications, authenticators, carriers, recoveryCodes, webauthnCredentials],
  sweeps: [
    { table: 'authenticators', when: "state = 'pending' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY" },
    // What was added for something that was never proved carries nothing, and nobody would know what it is. By id, which begins
    // with the time: those of the last weeks, since older ones were met by an earlier round.
    {
      table: 'carriers',
      when: `state = 'in-hand' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY
        AND id >= UNHEX(RPAD(LPAD(HEX(FLOOR((UNIX_TIMESTAMP() - 40 * 86400) * 1000)), 12, '0'), 32, '0'))
        AND NOT EXISTS (SELECT 1 FROM authenticators a WHERE a.carrier_id = carriers.id AND ${EVER_USED})`,
    },
  ],
  serves: async () => {
    const { expireAuthenticators } = await import('./expire.js');
    const { keyringHandlers } = await import('./routes.js');
    return {
      handlers: keyringHandlers,
      jobs: { 'expire-authenticators': { everySeconds: 3600, run: expireAuthenticators } },
    };
  },
});
