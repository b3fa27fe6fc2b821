import { area } from '../../platform/area.js';
import { networks } from './network.model.js';

/** Networks by their ranges of addresses. */
export const networksArea = area({
  name: 'networks',
  tables: [networks],
  serves: async () => {
    const { networkHandlers } = await import('./routes.js');
    return {
      handlers: networkHandlers,
    };
  },
});
