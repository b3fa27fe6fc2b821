import { area } from '../../platform/area.js';
import { passes } from './pass.model.js';

/** Temporary passes: for somebody who has nothing at hand, bounded in time and number, and withdrawn by themselves. */
export const passesArea = area({
  name: 'passes',
  tables: [passes],
  serves: async () => {
    const { passHandlers } = await import('./routes.js');
    const { settlePasses } = await import('./settle.js');
    return {
      handlers: passHandlers,
      jobs: { 'settle-passes': { everySeconds: 60, run: settlePasses } },
    };
  },
});
