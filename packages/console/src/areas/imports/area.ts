import { page, type ConsoleArea } from '../../frame/area.js';

export const importsArea: ConsoleArea = {
  name: 'imports',
  pages: [
    page('imports', async () => (await import('./imports-page.js')).ImportsPage),
    page('imports/:id', async () => (await import('./import-page.js')).ImportPage),
  ],
  rail: [
    {
      group: 'people',
      place: 5,
      to: '/imports',
      name: { en: 'From files', de: 'Aus Dateien' },
      calls: 'imports.list',
    },
  ],
};
