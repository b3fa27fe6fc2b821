import { page, type ConsoleArea } from '../../frame/area.js';

export const signInsArea: ConsoleArea = {
  name: 'signins',
  pages: [
    page('sign-ins', async () => (await import('./activity-page.js')).ActivityPage),
    page('sign-ins/:id', async () => (await import('./story-page.js')).StoryPage),
    page('walk-through', async () => (await import('./walk-through-page.js')).WalkThroughPage),
  ],
  rail: [
    {
      group: 'rules',
      place: 5,
      to: '/walk-through',
      name: { en: 'Walk-through', de: 'Durchgang' },
      calls: 'walkThroughs.begin',
    },
    { group: 'record', place: 1, to: '/sign-ins', name: { en: 'Sign-ins', de: 'Anmeldungen' }, calls: 'activity.list' },
  ],
  actions: [
    {
      to: '/sign-ins?state=refused',
      name: { en: 'Sign-ins that were refused', de: 'Abgewiesene Anmeldungen' },
      calls: 'activity.list',
    },
  ],
};
