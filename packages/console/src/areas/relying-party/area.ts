import { page, type ConsoleArea } from '../../frame/area.js';

export const relyingPartyArea: ConsoleArea = {
  name: 'relying-party',
  pages: [page('key-domain', async () => (await import('./key-domain-page.js')).KeyDomainPage)],
  rail: [
    {
      group: 'installation',
      place: 3,
      to: '/key-domain',
      name: { en: 'Domain of passkeys', de: 'Domäne der Passkeys' },
      calls: 'relyingParty.show',
    },
  ],
};
