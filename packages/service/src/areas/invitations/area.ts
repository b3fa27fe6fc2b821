import { area } from '../../platform/area.js';
import { invitationLinks } from './invitation-link.model.js';
import { invitationRoundPeople } from './invitation-round-person.model.js';
import { invitationRounds } from './invitation-round.model.js';
import { invitations } from './invitation.model.js';
import { standingInvitationPeople } from './standing-invitation-person.model.js';
import { standingInvitations } from './standing-invitation.model.js';

/** Invitations to enrol: to whom they go, what becomes of them, and what they let people do. */
export const invitationsArea = area({
  name: 'invitations',
  tables: [
    invitationLinks,
    invitationRoundPeople,
    invitationRounds,
    invitations,
    standingInvitationPeople,
    standingInvitations,
  ],
  sweeps: [{ table: 'invitation_rounds', when: "state = 'done' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 400 DAY" }],
  serves: async () => {
    const { remindDue } = await import('./again.js');
    const { inviteJob, invitationTold } = await import('./invite.js');
    const { invitationHandlers } = await import('./routes.js');
    const { inviteWhoIsNew } = await import('./standing.js');
    return {
      handlers: invitationHandlers,
      jobs: {
        invite: { long: true, run: inviteJob },
        'remind-invited': { everySeconds: 60, run: remindDue },
        'invite-new': { everySeconds: 60, run: inviteWhoIsNew },
      },
      told: { invitation: invitationTold },
    };
  },
});
