import { area } from '../../platform/area.js';
import { PartyCache } from './cache.js';
import { relyingPartyHandlers } from './change.js';
import { registerRelatedOrigins } from './related-origins.js';
import { relyingParties } from './relying-party.model.js';

/** The domain that keys are made for, and the origins that may use them. */
export const relyingPartyArea = area({
  name: 'relying-party',
  handlers: relyingPartyHandlers,
  tables: [relyingParties],
  provides: ({ aside, config }) => ({ party: new PartyCache(aside, config.publicUrl) }),
  endpoints: async (app, deps) => await Promise.resolve(registerRelatedOrigins(app, deps)),
});
