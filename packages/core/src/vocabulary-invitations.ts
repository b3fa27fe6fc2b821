/** Invitations to enrol. */

/** Where an invitation stands. `bounced`: the mail server refused its letter for good; `overdue`: its time ran out before it was used. */
export const INVITATION_STATES = [
  'queued',
  'sent',
  'bounced',
  'opened',
  'begun',
  'done',
  'overdue',
  'withdrawn',
] as const;
export type InvitationState = (typeof INVITATION_STATES)[number];

/** How an invitation reaches somebody: by mail, on paper, or by whatever is made of a file for a mail merge. */
export const INVITATION_CHANNELS = ['mail', 'letter', 'file'] as const;
export type InvitationChannel = (typeof INVITATION_CHANNELS)[number];

/** What came of inviting somebody among others: they were, or why not. */
export const INVITING_OUTCOMES = [
  'invited',
  'deactivated',
  'emergency',
  'owners-only',
  'already-invited',
  'already-held',
  'not-offered',
  'in-person',
  'not-countersigned',
  'no-mail',
] as const;
export type InvitingOutcome = (typeof INVITING_OUTCOMES)[number];

/** What the text of an invitation may name in braces. */
export const INVITATION_FIELDS = ['name', 'organisation', 'methods', 'link', 'page', 'code', 'until'] as const;
export type InvitationField = (typeof INVITATION_FIELDS)[number];

/** How the first enrolment of somebody who has nothing may be guarded further. */
export const FIRST_ENROLMENTS = ['in-person', 'countersigned'] as const;
export type FirstEnrolment = (typeof FIRST_ENROLMENTS)[number];
