/** What mails say. */
export const enMail = {
  subject: 'Your sign-in means changed',
  greeting: 'Dear {name},',
  'authenticator.proved': 'a new authenticator was added to your keyring: {label}.',
  'authenticator.suspended': 'an authenticator on your keyring was suspended: {label}.',
  'authenticator.revoked': 'an authenticator was taken off your keyring: {label}.',
  'password.set': 'your password was changed.',
  'signature.subject': 'A countersignature is asked for',
  'signature.asked': '{asker} asks for the yes of a second administrator:',
  'signature.where': 'Give or refuse it here: {link}',
  'signature.closing': 'If you know nothing of this, speak to {asker} before you decide.',
  when: 'When: {when}',
  closing: 'If you did not expect this, call your help desk now.',
  signature: '{organisation}',
} as const;
