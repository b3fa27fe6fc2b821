/** What mails say. */
export const enMail = {
  subject: 'Your sign-in means changed',
  greeting: 'Dear {name},',
  'authenticator.proved': 'a new authenticator was added to your keyring: {label}.',
  'authenticator.suspended': 'an authenticator on your keyring was suspended: {label}.',
  'authenticator.revoked': 'an authenticator was taken off your keyring: {label}.',
  'authenticator.expired': 'an authenticator on your keyring has passed its last day: {label}.',
  'pin.changed': 'the PIN of {label} was changed or taken away.',
  'password.set': 'your password was changed.',
  'signature.subject': 'A countersignature is asked for',
  'signature.asked': '{asker} asks for the yes of a second administrator:',
  'signature.where': 'Give or refuse it here: {link}',
  'signature.closing': 'If you know nothing of this, speak to {asker} before you decide.',
  'emergency.subject': 'An emergency account was used',
  'emergency.used': 'the emergency account {name} was let in at {application}, from {from}.',
  'emergency.where': 'The whole story: {link}',
  'emergency.closing':
    'If nobody of you knows why, it is in the wrong hands: suspend its authenticators now. If you do, say so at the sign-in, so that nobody else wonders.',
  when: 'When: {when}',
  closing: 'If you did not expect this, call your help desk now.',
  signature: '{organisation}',
} as const;
