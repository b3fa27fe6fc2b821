import { page, type ConsoleArea } from '../../frame/area.js';

export const modelsArea: ConsoleArea = {
  name: 'models',
  pages: [page('key-models', async () => (await import('./key-models-page.js')).KeyModelsPage)],
  rail: [
    {
      group: 'things',
      place: 2,
      to: '/key-models',
      name: { en: 'Models of keys', de: 'Schlüsselmodelle' },
      calls: 'keyModels.list',
    },
  ],
};
