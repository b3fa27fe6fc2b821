import { area } from '../../platform/area.js';
import { SettingsCache } from './settings-cache.js';
import { storedSettings } from './settings.model.js';
import { signInHours } from './sign-in-hour.model.js';

/** What is seen at a glance: the overview, the trail, the settings. */
export const insightArea = area({
  name: 'insight',
  tables: [storedSettings, signInHours],
  provides: ({ settingsPool }) => ({ settings: new SettingsCache(settingsPool) }),
  serves: async () => {
    const { insightHandlers } = await import('./routes.js');
    const { endStreams } = await import('./live.js');
    const { keepSignInHours } = await import('./sign-in-hours.js');
    return {
      handlers: insightHandlers,
      leaves: endStreams,
      jobs: { 'count-sign-ins': { everySeconds: 300, run: keepSignInHours } },
    };
  },
});
