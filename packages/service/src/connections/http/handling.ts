import { badField } from '../../platform/errors.js';
import type { ConnectionHandling } from '../../areas/applications/connection-handling.js';

/** By our own HTTP interface: nothing to keep beside scopes and claims. */
export const httpHandling: ConnectionHandling<null> = {
  keep: ({ oidc }) => {
    if (oidc) throw badField('body.oidc', 'only-oidc');
    return null;
  },
  change: (_before, { oidc }) => {
    if (oidc) throw badField('body.oidc', 'only-oidc');
    return undefined;
  },
  restate: () => ({}),
  show: () => ({}),
  makeReady: async () => await Promise.resolve(),
  hasSecret: () => true,
};
