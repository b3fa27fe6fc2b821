import type { DisputeEffect, NoticeKind } from '../vocabulary.js';

/**
 * What is set aside when a person says that a change was not them: that change and nothing else, so that whoever reads their mail can do
 * no more by it than take back what was just done. What was taken away or renamed leaves nothing to set aside; it is told all the same.
 * Null for what happens by itself, which nobody did.
 */
const EFFECTS: Readonly<Record<NoticeKind, DisputeEffect | null>> = {
  'authenticator.proved': 'suspended',
  'authenticator.suspended': 'told',
  'authenticator.revoked': 'told',
  'authenticator.expired': null,
  'authenticator.renamed': 'told',
  'authenticator.preferred': 'told',
  'authenticator.resynchronised': 'suspended',
  'password.set': 'suspended',
  'pin.changed': 'suspended',
  'recovery.made': 'suspended',
  'recovery.used': 'suspended',
  'recovery.few': 'suspended',
  'invitation.printed': 'withdrawn',
  'invitation.merged': 'withdrawn',
  'pass.given': 'suspended',
  'pass.delegated': 'suspended',
  'pass.withdrawn': 'told',
  'pass.used': 'suspended',
  'contact.changed': 'told',
  'signed-out': 'told',
};

/** What is done when somebody disputes a change of this kind; null where there is nobody whose doing it could be. */
export const effectOfDispute = (kind: NoticeKind): DisputeEffect | null => EFFECTS[kind];

/** How long after a change its person can say that it was not them: over a holiday. */
export const DISPUTABLE_DAYS = 30;

/** How long notices go to the address before a change of it too: whoever changes it does not get to hide what they do next. */
export const FORMER_MAIL_DAYS = 30;
