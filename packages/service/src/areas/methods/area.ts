import { area } from '../../platform/area.js';
import { MethodsCache } from './cache.js';
import { methodSettings } from './method-settings.model.js';

/** Which method is for whom, and for what. */
export const methodsArea = area({
  name: 'methods',
  tables: [methodSettings],
  provides: ({ settingsPool }) => ({ methods: new MethodsCache(settingsPool) }),
  serves: async () => {
    const { methodHandlers } = await import('./routes.js');
    return {
      handlers: methodHandlers,
    };
  },
});
