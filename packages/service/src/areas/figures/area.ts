import { area } from '../../platform/area.js';

/** What administrators compare at a glance: figures that are counted when somebody looks, and kept nowhere. */
export const figuresArea = area({
  name: 'figures',
  serves: async () => {
    const { figureHandlers } = await import('./routes.js');
    return { handlers: figureHandlers };
  },
});
