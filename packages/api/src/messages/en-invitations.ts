import type {
  FirstEnrolment,
  InvitationChannel,
  InvitationState,
  InvitingOutcome,
} from '@nimble-latch/core/vocabulary';

/** Invitations to enrol. */
export const enInvitations = {
  invitationStates: {
    queued: 'not sent yet',
    sent: 'sent',
    bounced: 'bounced',
    opened: 'opened',
    begun: 'begun',
    done: 'done',
    overdue: 'overdue',
    withdrawn: 'withdrawn',
  } satisfies Record<InvitationState, string>,
  invitationChannels: { mail: 'by mail', letter: 'on paper', file: 'by a merge file' } satisfies Record<
    InvitationChannel,
    string
  >,
  invitingOutcomes: {
    invited: 'invited',
    deactivated: 'deactivated',
    emergency: 'emergency account',
    'owners-only': 'with a role: invited by owners, by mail',
    'already-invited': 'already invited',
    'already-held': 'already enrolled',
    'not-offered': 'not offered by the method settings',
    'in-person': 'to enrol at a desk only',
    'not-countersigned': 'waiting for the yes of a second administrator',
    'no-mail': 'without a mail address',
  } satisfies Record<InvitingOutcome, string>,
  firstEnrolments: {
    'in-person': 'first one in person only',
    countersigned: 'first one by a countersigned invitation',
  } satisfies Record<FirstEnrolment, string>,
  invitationText: {
    subject: '{organisation}: set up how you sign in',
    body: `Dear {name},

you are invited to set up one of these for signing in: {methods}. It takes a few minutes; have your phone or key at hand, and know your password.

{link}

If the link cannot be opened, go to {page} and type this code: {code}

It is for you alone, works once, and until {until}. We never ask for your password or a code by mail or phone. If you did not expect this, call your help desk.

{organisation}`,
    reminder: 'Reminder: {subject}',
  },
  /** Whom the preview of a text is written to. */
  invitationExample: { name: 'Ines Marlow' },
} as const;
