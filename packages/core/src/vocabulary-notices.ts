/** Changes of somebody's keyring that they are told of, at the addresses held before the change. */
export const NOTICE_KINDS = [
  'authenticator.proved',
  'authenticator.suspended',
  'authenticator.revoked',
  'authenticator.expired',
  'authenticator.renamed',
  'authenticator.preferred',
  'authenticator.resynchronised',
  'password.set',
  'pin.changed',
  'recovery.made',
  'recovery.used',
  'recovery.few',
  'invitation.printed',
  'invitation.merged',
  'pass.given',
  'pass.delegated',
  'pass.withdrawn',
  'pass.used',
  'contact.changed',
  'signed-out',
] as const;
export type NoticeKind = (typeof NOTICE_KINDS)[number];

/** What becomes of a change that its person says was not them. `told`: there is nothing to set aside, and the alarm is all. */
export const DISPUTE_EFFECTS = ['suspended', 'withdrawn', 'told'] as const;
export type DisputeEffect = (typeof DISPUTE_EFFECTS)[number];

/** Whether somebody has seen to what a person says was not them. */
export const DISPUTE_STATES = ['open', 'settled'] as const;
export type DisputeState = (typeof DISPUTE_STATES)[number];
