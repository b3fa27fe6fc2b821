import { page, type ConsoleArea } from '../../frame/area.js';

export const figuresArea: ConsoleArea = {
  name: 'figures',
  pages: [page('figures', async () => (await import('./figures-page.js')).FiguresPage)],
  rail: [{ group: 'today', place: 2, to: '/figures', name: { en: 'Figures', de: 'Zahlen' }, calls: 'figures.groups' }],
};
