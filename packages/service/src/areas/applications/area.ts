import { area } from '../../platform/area.js';
import { applicationOrigins } from './application-origin.model.js';
import { applications } from './application.model.js';
import { connectionKeys } from './connection-key.model.js';
import { connections } from './connection.model.js';

/** Applications, how each is connected, and the keys of their connections. */
export const applicationsArea = area({
  name: 'applications',
  tables: [applicationOrigins, applications, connectionKeys, connections],
  sweeps: [{ table: 'connection_keys', when: 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY' }],
  serves: async () => {
    const { applicationHandlers } = await import('./routes.js');
    return {
      handlers: applicationHandlers,
    };
  },
});
