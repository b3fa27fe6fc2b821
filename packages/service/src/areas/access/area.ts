import { area } from '../../platform/area.js';
import { accessTokens } from './access-token.model.js';
import { hostLinks } from './host-link.model.js';
import { roleGrants } from './role-grant.model.js';
import { roleLimits } from './role-limit.model.js';
import { sessions } from './session.model.js';
import { setUps } from './set-up.model.js';
import { signatureRequests } from './signature-request.model.js';

/** Who may do what in the console: roles, sessions, access tokens, countersignatures, the ways in from the host. */
export const accessArea = area({
  name: 'access',
  tables: [accessTokens, hostLinks, roleGrants, roleLimits, sessions, setUps, signatureRequests],
  sweeps: [
    { table: 'sessions', when: 'expires_at < UTC_TIMESTAMP(3)' },
    { table: 'access_tokens', when: 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY' },
    { table: 'host_links', when: 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY' },
  ],
  serves: async () => {
    const { accessHandlers } = await import('./routes.js');
    return {
      handlers: accessHandlers,
    };
  },
});
