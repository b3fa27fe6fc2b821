import { page, type ConsoleArea } from '../../frame/area.js';

export const stockArea: ConsoleArea = {
  name: 'stock',
  pages: [
    page('stock', async () => (await import('./stock-page.js')).StockPage),
    page('stock/print', async () => (await import('./labels-page.js')).LabelsPage),
    page('stock/:id', async () => (await import('./token-page.js')).TokenPage),
  ],
  rail: [
    {
      group: 'things',
      place: 1,
      to: '/stock',
      name: { en: 'Hardware tokens', de: 'Hardware-Token' },
      calls: 'stock.list',
    },
  ],
};
