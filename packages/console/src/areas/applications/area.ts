import { page, type ConsoleArea } from '../../frame/area.js';

export const applicationsArea: ConsoleArea = {
  name: 'applications',
  pages: [
    page('applications', async () => (await import('./applications-page.js')).ApplicationsPage),
    page('applications/:id', async () => (await import('./application-page.js')).ApplicationPage),
  ],
  rail: [
    {
      group: 'applications',
      place: 1,
      to: '/applications',
      name: { en: 'Applications', de: 'Anwendungen' },
      calls: 'applications.list',
    },
  ],
};
