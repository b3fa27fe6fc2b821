import { page, type ConsoleArea } from '../../frame/area.js';

export const passesArea: ConsoleArea = {
  name: 'passes',
  pages: [page('passes', async () => (await import('./passes-page.js')).PassesPage)],
  rail: [{ group: 'people', place: 4, to: '/passes', name: { en: 'Passes', de: 'Ausweise' }, calls: 'passes.list' }],
  actions: [
    {
      to: '/passes?state=open',
      name: { en: 'Temporary passes that are open', de: 'Vorläufige Ausweise, die offen sind' },
      calls: 'passes.list',
    },
  ],
};
