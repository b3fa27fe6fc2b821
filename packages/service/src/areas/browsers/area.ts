import { area } from '../../platform/area.js';
import { browserPeople } from './browser-person.model.js';
import { browserSessions } from './browser-session.model.js';
import { browsers } from './browser.model.js';
import { rememberedBrowsers } from './remembered-browser.model.js';

/** Who is signed in by our pages in which browser, and which browsers are remembered. */
export const browsersArea = area({
  name: 'browsers',
  tables: [browserPeople, browserSessions, browsers, rememberedBrowsers],
  sweeps: [
    { table: 'browser_sessions', when: 'expires_at < UTC_TIMESTAMP(3)' },
    { table: 'remembered_browsers', when: 'until < UTC_TIMESTAMP(3)' },
    { table: 'browsers', when: 'seen_at < UTC_TIMESTAMP(3) - INTERVAL 400 DAY' },
  ],
  serves: async () => {
    const { browserHandlers } = await import('./routes.js');
    return {
      handlers: browserHandlers,
    };
  },
});
