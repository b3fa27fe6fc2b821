import { area } from '../../platform/area.js';

/** The configuration as a text, and bringing one in. */
export const configurationArea = area({
  name: 'configuration',
  serves: async () => {
    const { configurationHandlers } = await import('./routes.js');
    return {
      handlers: configurationHandlers,
    };
  },
});
