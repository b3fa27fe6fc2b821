import { page, type ConsoleArea } from '../../frame/area.js';

export const peopleArea: ConsoleArea = {
  name: 'people',
  pages: [
    page('people', async () => (await import('./people-page.js')).PeoplePage),
    page('people/:id', async () => (await import('./person-page.js')).PersonPage),
    page('groups', async () => (await import('./groups-page.js')).GroupsPage),
    page('groups/:id', async () => (await import('./group-page.js')).GroupPage),
  ],
  rail: [
    { group: 'people', place: 1, to: '/people', name: { en: 'People', de: 'Personen' }, calls: 'people.list' },
    { group: 'people', place: 2, to: '/groups', name: { en: 'Groups', de: 'Gruppen' }, calls: 'groups.list' },
  ],
  actions: [
    { to: '/people?add', name: { en: 'Add a person', de: 'Person hinzufügen' }, calls: 'people.add' },
    {
      to: '/people?coverage=nothing&state=active',
      name: { en: 'People with nothing to prove with', de: 'Personen, die nichts zum Nachweisen haben' },
      calls: 'people.list',
    },
    {
      to: '/people?coverage=weak&state=active',
      name: { en: 'People with only weak methods', de: 'Personen, die nur schwache Verfahren haben' },
      calls: 'people.list',
    },
  ],
};
