import { page, type ConsoleArea } from '../../frame/area.js';

export const insightArea: ConsoleArea = {
  name: 'insight',
  pages: [
    page('', async () => (await import('./overview-page.js')).OverviewPage),
    page('trail', async () => (await import('./trail-page.js')).TrailPage),
    page('settings', async () => (await import('./settings/organisation-page.js')).OrganisationPage),
    page('settings/codes', async () => (await import('./settings/codes-page.js')).CodesPage),
    page('settings/passwords', async () => (await import('./settings/passwords-page.js')).PasswordsPage),
    page('settings/phone-numbers', async () => (await import('./settings/phone-numbers-page.js')).PhoneNumbersPage),
    page('settings/risk', async () => (await import('./settings/risk-page.js')).RiskPage),
    page('settings/invitations', async () => (await import('./settings/invitations-page.js')).InvitationsPage),
    page('settings/passes', async () => (await import('./settings/passes-page.js')).PassesPage),
    page('system', async () => (await import('./system-page.js')).SystemPage),
  ],
  rail: [
    {
      group: 'today',
      place: 1,
      to: '/',
      name: { en: 'Overview', de: 'Überblick' },
      calls: 'overview.show',
      waits: 'hands',
    },
    { group: 'record', place: 2, to: '/trail', name: { en: 'Trail', de: 'Protokoll' }, calls: 'trail.list' },
    {
      group: 'installation',
      place: 8,
      to: '/system',
      name: { en: 'Nodes and work', de: 'Knoten und Arbeiten' },
      calls: 'system.show',
      waits: 'messages',
    },
    {
      group: 'installation',
      place: 9,
      to: '/settings',
      name: { en: 'Settings', de: 'Einstellungen' },
      calls: 'settings.show',
    },
  ],
};
