/** What mails say. */
export const enMail = {
  subject: 'Your sign-in means changed',
  greeting: 'Dear {name},',
  'authenticator.proved': 'a new authenticator was added to your keyring: {label}.',
  'authenticator.suspended': 'an authenticator on your keyring was suspended: {label}.',
  'authenticator.revoked': 'an authenticator was taken off your keyring: {label}.',
  'authenticator.expired': 'an authenticator on your keyring has passed its last day: {label}.',
  'pin.changed': 'the PIN of {label} was changed or taken away.',
  'recovery.made': 'new recovery codes were made for you; those before are no longer of use.',
  'recovery.used': 'one of your recovery codes was used. Left: {label}.',
  'recovery.few':
    'one of your recovery codes was used. Left: {label}. Make new ones while you can sign in; the page for enrolling has them.',
  'pass.given': 'a temporary pass was made for you. Whoever has it can sign in as you in its time.',
  'pass.withdrawn': 'a temporary pass of yours was withdrawn.',
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
  'passes.subject': 'Somebody gave as many passes as they may',
  'passes.reached':
    '{giver} has given {given, plural, one {# temporary pass} other {# temporary passes}} within a day, the last one to {name}. More are refused.',
  'passes.where': 'The passes: {link}',
  'passes.closing': 'If this is more than you expect, ask {giver}, and withdraw what nobody needs.',
  when: 'When: {when}',
  closing: 'If you did not expect this, call your help desk now.',
  signature: '{organisation}',
} as const;
