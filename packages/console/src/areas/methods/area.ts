import { page, type ConsoleArea } from '../../frame/area.js';

export const methodsArea: ConsoleArea = {
  name: 'methods',
  pages: [page('methods', async () => (await import('./methods-page.js')).MethodsPage)],
  rail: [{ group: 'rules', place: 2, to: '/methods', name: { en: 'Methods', de: 'Verfahren' }, calls: 'methods.show' }],
};
