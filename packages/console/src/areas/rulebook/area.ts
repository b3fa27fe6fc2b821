import { page, type ConsoleArea } from '../../frame/area.js';

export const rulebookArea: ConsoleArea = {
  name: 'rulebook',
  pages: [
    page('rulebook', async () => (await import('./rulebook-page.js')).RulebookPage),
    page('rulebook/draft', async () => (await import('./draft-page.js')).DraftPage),
    page('explain', async () => (await import('./explain-page.js')).ExplainPage),
  ],
  rail: [
    { group: 'rules', place: 1, to: '/rulebook', name: { en: 'Rulebook', de: 'Regelwerk' }, calls: 'rulebook.show' },
    { group: 'rules', place: 4, to: '/explain', name: { en: 'Explain', de: 'Erklären' }, calls: 'people.explain' },
  ],
  actions: [
    {
      to: '/rulebook/draft',
      name: { en: 'Draft of the rulebook', de: 'Entwurf des Regelwerks' },
      calls: 'rulebookDraft.save',
    },
  ],
};
