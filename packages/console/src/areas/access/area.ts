import { page, type ConsoleArea } from '../../frame/area.js';

export const accessArea: ConsoleArea = {
  name: 'access',
  pages: [
    page('administrators', async () => (await import('./administrators-page.js')).AdministratorsPage),
    page('account', async () => (await import('./account-page.js')).AccountPage),
  ],
  rail: [
    {
      group: 'installation',
      place: 1,
      to: '/administrators',
      name: { en: 'Administrators', de: 'Verwaltung' },
      waits: 'signatures',
    },
  ],
  actions: [{ to: '/account', name: { en: 'Your own access', de: 'Ihr eigener Zugang' } }],
};
