import { accessHandlers } from './access/routes.js';
import { applicationHandlers } from './applications/routes.js';
import type { Handlers } from './http/call.js';
import { browserHandlers } from './browsers/routes.js';
import { importHandlers } from './imports/routes.js';
import { configurationHandlers } from './configuration/routes.js';
import { insightHandlers } from './insight/routes.js';
import { keyringHandlers } from './keyring/routes.js';
import { methodHandlers } from './methods/routes.js';
import { networkHandlers } from './networks/routes.js';
import { peopleHandlers } from './people/routes.js';
import { keyModelHandlers } from './models/routes.js';
import { relyingPartyHandlers } from './relying-party/change.js';
import { rulebookHandlers } from './rulebook/routes.js';
import { stockHandlers } from './stock/routes.js';
import { signInHandlers } from './signins/routes.js';

/** Every call of the contract with what answers it; the compiler sees to it that none is missing. */
export const HANDLERS: Handlers = {
  ...accessHandlers,
  ...networkHandlers,
  ...methodHandlers,
  ...relyingPartyHandlers,
  ...keyModelHandlers,
  ...rulebookHandlers,
  ...peopleHandlers,
  ...importHandlers,
  ...keyringHandlers,
  ...stockHandlers,
  ...applicationHandlers,
  ...signInHandlers,
  ...browserHandlers,
  ...insightHandlers,
  ...configurationHandlers,
};
