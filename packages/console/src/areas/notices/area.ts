import { page, type ConsoleArea } from '../../frame/area.js';

export const noticesArea: ConsoleArea = {
  name: 'notices',
  pages: [page('disputes', async () => (await import('./disputes-page.js')).DisputesPage)],
  rail: [
    {
      group: 'people',
      place: 6,
      to: '/disputes',
      name: { en: 'Disputed changes', de: 'Bestrittenes' },
      calls: 'disputes.list',
      waits: 'disputes',
    },
  ],
  actions: [
    {
      to: '/disputes',
      name: { en: 'Changes that people say were not them', de: 'Änderungen, die jemand bestreitet' },
      calls: 'disputes.list',
    },
  ],
};
