import { area } from '../../platform/area.js';
import { PartyCache } from './cache.js';
import { relyingParties } from './relying-party.model.js';

/** The domain that keys are made for, and the origins that may use them. */
export const relyingPartyArea = area({
  name: 'relying-party',
  tables: [relyingParties],
  provides: ({ settingsPool, config }) => ({ party: new PartyCache(settingsPool, config.publicUrl) }),
  serves: async () => {
    const { relyingPartyHandlers } = await import('./change.js');
    const { registerRelatedOrigins } = await import('./related-origins.js');
    return {
      handlers: relyingPartyHandlers,
      endpoints: async (app, deps) => await Promise.resolve(registerRelatedOrigins(app, deps)),
    };
  },
});
