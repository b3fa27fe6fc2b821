import { page, type ConsoleArea } from '../../frame/area.js';

export const networksArea: ConsoleArea = {
  name: 'networks',
  pages: [page('networks', async () => (await import('./networks-page.js')).NetworksPage)],
  rail: [{ group: 'rules', place: 3, to: '/networks', name: { en: 'Networks', de: 'Netze' }, calls: 'networks.list' }],
};
