import { page, type ConsoleArea } from '../../frame/area.js';

export const invitationsArea: ConsoleArea = {
  name: 'invitations',
  pages: [page('invitations', async () => (await import('./invitations-page.js')).InvitationsPage)],
  rail: [
    {
      group: 'people',
      place: 3,
      to: '/invitations',
      name: { en: 'Invitations', de: 'Einladungen' },
      calls: 'invitations.list',
      waits: 'invitations',
    },
  ],
  actions: [
    {
      to: '/invitations?invite=',
      name: { en: 'Invite people to enrol', de: 'Personen zum Einrichten einladen' },
      calls: 'invitationRounds.begin',
    },
    {
      to: '/invitations?state=stuck',
      name: { en: 'Invitations that are stuck', de: 'Einladungen, die nicht weiterkommen' },
      calls: 'invitations.list',
    },
  ],
};
