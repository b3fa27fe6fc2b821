import { area } from '../../platform/area.js';
import { networks } from './network.model.js';
import { networkHandlers } from './routes.js';

/** Networks by their ranges of addresses. */
export const networksArea = area({
  name: 'networks',
  handlers: networkHandlers,
  tables: [networks],
});
