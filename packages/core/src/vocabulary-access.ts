/** Rights, roles and the second yes. */

export const ROLES = ['owner', 'rulebook-editor', 'custodian', 'help-desk', 'auditor'] as const;
export type Role = (typeof ROLES)[number];
/** Roles that may be limited to groups; the others are about the installation as a whole. */
export const LIMITABLE_ROLES: readonly Role[] = ['custodian', 'help-desk'];

/** One right. Every route names one; a role is a set of them. */
export const PERMISSIONS = [
  'person.read',
  'person.write',
  'person.delete',
  'person.import',
  'person.bulk',
  'group.read',
  'group.write',
  'keyring.read',
  'keyring.enrol',
  'keyring.suspend',
  'keyring.revoke',
  'keyring.unlock',
  'invitation.send',
  'pass.give',
  'stock.read',
  'stock.write',
  'stock.export',
  'password.set',
  'application.read',
  'application.write',
  'activity.read',
  'trail.read',
  'walk-through.run',
  'rulebook.read',
  'rulebook.write',
  'role.read',
  'role.write',
  'setting.read',
  'setting.write',
  'access-token.own',
  'access-token.all',
  'system.read',
] as const;
export type Permission = (typeof PERMISSIONS)[number];

/** Actions that may need a second administrator's yes; which of them do is a setting. */
export const SIGNED_ACTIONS = [
  'role-change',
  'administrator-factor',
  'lock-out',
  'loosening',
  'secret-export',
] as const;
/** Those that do where nobody has set anything else. */
export const SIGNED_FIRST: readonly (typeof SIGNED_ACTIONS)[number][] = SIGNED_ACTIONS.filter(
  (action) => action !== 'loosening',
);
/**
 * What needs it whatever the settings say: where the method settings guard the first enrolment of some people, and files that let
 * whoever reads them enrol as many people at once.
 */
export const ALWAYS_SIGNED = ['first-enrolment', 'merge-file'] as const;
export type SignedAction = (typeof SIGNED_ACTIONS)[number] | (typeof ALWAYS_SIGNED)[number];

/** What an action that needs a countersignature would bring about; the sentences stand in the message catalogue. */
export const CONSEQUENCES = [
  'role-given',
  'role-given-within',
  'role-taken',
  'emergency-marked',
  'emergency-unmarked',
  'administrator-deactivated',
  'administrator-reactivated',
  'administrator-deleted',
  'factor-begun',
  'factor-suspended',
  'factor-resumed',
  'factor-revoked',
  'factor-unlocked',
  'factor-resynchronised',
  'factor-restricted',
  'pin-given',
  'pin-removed',
  'recovery-made',
  'pass-given',
  'pass-delegated',
  'pass-withdrawn',
  'people-invited',
  'people-invited-whenever',
  'invitations-merged',
  'invitations-merged-again',
  'carrier-lost',
  'secrets-exported',
  'password-set',
  'signing-changed',
  'rulebook-locks-out',
  'rulebook-loosens',
  'methods-lock-out',
  'keys-orphaned',
] as const;
export type ConsequenceId = (typeof CONSEQUENCES)[number];

/** Where a request for a countersignature stands. `overtaken`: what it was asked for is not as it was shown any more. */
export const SIGNATURE_STATES = ['open', 'given', 'refused', 'withdrawn', 'expired', 'overtaken', 'done'] as const;
export type SignatureState = (typeof SIGNATURE_STATES)[number];
