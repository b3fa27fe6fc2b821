import { area } from '../../platform/area.js';
import { insightHandlers } from './routes.js';
import { SettingsCache } from './settings-cache.js';
import { storedSettings } from './settings.model.js';
import { signInHours } from './sign-in-hour.model.js';
import { keepSignInHours } from './sign-in-hours.js';

/** What is seen at a glance: the overview, the trail, the settings. */
export const insightArea = area({
  name: 'insight',
  handlers: insightHandlers,
  tables: [storedSettings, signInHours],
  provides: ({ aside }) => ({ settings: new SettingsCache(aside) }),
  jobs: { 'count-sign-ins': { everySeconds: 300, run: keepSignInHours } },
});
