import type { DisputeEffect, DisputeState, NoticeKind, SelfAction } from '@nimble-latch/core/vocabulary';

/** Notices of changes, and what people say was not them. */
export const enNotices = {
  noticeKinds: {
    'authenticator.proved': 'a new authenticator was added: {label}',
    'authenticator.suspended': 'an authenticator was suspended: {label}',
    'authenticator.revoked': 'an authenticator was taken off: {label}',
    'authenticator.expired': 'an authenticator passed its last day: {label}',
    'authenticator.renamed': 'something was renamed: {label}',
    'authenticator.preferred': 'what is asked for first was changed: {label}',
    'authenticator.resynchronised': 'a code device was brought back into step: {label}',
    'password.set': 'the password was changed',
    'pin.changed': 'a PIN was changed or taken away: {label}',
    'recovery.made': 'new recovery codes were made',
    'recovery.used': 'a recovery code was used',
    'recovery.few': 'a recovery code was used',
    'invitation.printed': 'an invitation was printed',
    'invitation.merged': 'an invitation was put into a file for letters',
    'pass.given': 'a temporary pass was made',
    'pass.delegated': 'a temporary pass was made by which {label} can sign in as you',
    'pass.withdrawn': 'a temporary pass was withdrawn',
    'pass.used': 'somebody signed in by a temporary pass: {label}',
    'contact.changed': 'the mail address was changed',
    'signed-out': 'everything was signed out',
  } satisfies Record<NoticeKind, string>,
  disputeEffects: {
    suspended: 'suspended',
    withdrawn: 'withdrawn',
    told: 'nothing to set aside',
  } satisfies Record<DisputeEffect, string>,
  disputeStates: { open: 'open', settled: 'settled' } satisfies Record<DisputeState, string>,
  selfActions: {
    enrol: 'set up',
    name: 'name',
    prefer: 'ask first',
    test: 'try',
    resync: 'resynchronise',
    pin: 'change the PIN',
    remove: 'remove',
  } satisfies Record<SelfAction, string>,
};
