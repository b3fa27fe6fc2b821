import { enTokens } from './en-tokens.js';
import { enImports } from './en-imports.js';
import { enAccess } from './en-access.js';
import { enMail } from './en-mail.js';
import { enMethods } from './en-methods.js';
import { enKeys } from './en-keys.js';
import { enRisk } from './en-risk.js';
import { enRulebook } from './en-rulebook.js';
import { enTrail } from './en-trail.js';
import type { Coverage, Seen, Source } from '@nimble-latch/core/vocabulary';

/**
 * Every sentence of the contract that a person reads, in English. Facts stand in braces. Another language is a file of
 * the same shape; the compiler sees to it that none is missing.
 */
export const en = {
  coverages: {
    nothing: 'nothing',
    weak: 'only weak',
    'two-factors': 'two factors',
    'phishing-resistant': 'phishing-resistant',
  } satisfies Record<Coverage, string>,
  seen: {
    'this-week': 'this week',
    'this-month': 'this month',
    'this-quarter': 'this quarter',
    'longer-ago': 'longer ago',
    never: 'never',
  } satisfies Record<Seen, string>,
  sources: {
    hand: 'by hand',
    csv: 'CSV',
    directory: 'directory',
    scim: 'SCIM',
    application: 'an application',
    'set-up': 'set-up',
  } satisfies Record<Source, string>,
  ...enImports,
  ...enTokens,
  /** What is wrong with one field, said beside its name. */
  fields: {
    'range-shape': 'expected a range such as 10.1.0.0/16 or 2001:db8::/48, or one address',
    'range-beyond': 'bits are set beyond the prefix; perhaps {meant} is meant',
    'unknown-group': 'one of these groups is not there',
    id: 'expected an id such as 01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11',
    empty: 'must not be empty',
    'too-long': 'at most {most/character/characters}',
    'control-characters': 'must not contain control characters or writing-direction overrides',
    cursor: 'expected the `next` of an earlier page',
    mail: 'expected an address such as ines@wexmoor.example',
    phone: 'expected an international number such as +44 20 7946 0018',
    language: 'expected a language tag such as en or de-CH',
    'file-empty': 'there is nothing in it',
    'file-header-only': 'there is no row below the names of the columns',
    'file-spreadsheet': 'this is a spreadsheet program’s own file; save it as CSV there',
    'file-binary': 'this is not text',
    'file-encoding':
      'about {kilobyte} kB into it stands what is not {encoding}; name the encoding, or save it as UTF-8',
    'file-quote-open': 'a quote that begins in or before this line is not closed',
    'file-quote-stray':
      'a quote stands inside a cell; cells with quotes are quoted themselves, and each quote in them doubled',
    'file-row-long': 'this row is longer than {most/character/characters}; perhaps a quote is not closed',
    'file-columns-many': 'more than {most/column/columns}',
    'file-rows-many': 'more than {most/row/rows}; send it in parts',
    way: 'expected a way such as password + totp or webauthn(verified)',
    address: 'expected an address such as https://berths.wexmoor.example/signed-in, without spaces',
    'address-fragment': 'must not have a fragment (#)',
    'address-credentials': 'must not hold a name or password',
    'address-plain': 'http is for this machine alone (localhost); use https',
    'address-scheme':
      'expected https, or an app’s own scheme with a dot in it such as example.wexmoor.berths:/signed-in',
    'only-oidc': 'belongs to connections by OpenID Connect, and to those alone',
    'no-scopes': 'a connection by OpenID Connect has no scopes; what it learns is said by releases',
    'oidc-claims': 'by OpenID Connect only password-checked can be claimed',
    'public-claims': 'a client without a secret can claim nothing',
    'no-secret': 'a public client has no secret',
    'everybody-last': 'the row for everybody is the last',
    'everybody-missing': 'a row for everybody is missing',
    'no-such-rule': 'there is no rule at this place',
    serial: 'expected letters, digits and . _ / : - of which at least three are letters or digits',
    country: 'expected the two letters of a country, such as GB',
    'columns-number': 'expected {number/column/columns}, as many as the file has',
    'columns-lack': 'no column is said to be: {meaning}',
    'column-twice': 'two columns are said to be: {meaning}',
    'column-of-other-kind': 'has no meaning in a file of this kind: {meaning}',
    'missing-needs-mapping': 'who is missing can only be told for a file of a saved mapping: give it a name',
    'other-kind-of-mapping': 'is a mapping for another kind of file',
    'column-gone': 'the mapping reads a column {column}, which this file does not have',
    'time-zone': 'expected a time zone name such as Europe/London',
    'login-name-missing': 'at least one login name',
    'login-name-character': 'must not contain spaces, control or invisible characters',
    'login-name-shape': 'expected name, name@domain, DOMAIN\\name or host:name',
    twice: 'is there twice',
    'token-secret': 'expected a secret in {encoding} of {least} to {most} bytes',
    'owner-as': 'expected one {name} with up to 60 characters before and behind it, no spaces',
    'signer-not-pskc': 'only key containers (form pskc) are signed; this file would not be verified',
    'file-signer': 'expected an X.509 certificate, PEM or DER, as base64url',
    'file-key': 'expected passphrase and base64url, or key and 16 to 64 bytes in hexadecimal',
    'pskc-xml': 'is not well-formed XML, or ends too early',
    'pskc-doctype': 'has a document type; none is read, since it can name other files and grow without end',
    'pskc-too-deep': 'has elements more than {most} deep',
    'pskc-too-large': 'has a part that is larger than a token can be',
    'pskc-not-pskc': 'is no key container of RFC 6030, or its parts are out of order',
    'pskc-version': 'is of a version that is not known here; expected 1.0',
    'pskc-key-needed': 'is encrypted; what opens it is needed ({kind})',
    'pskc-key-kind': 'is opened by something else than what was given ({kind})',
    'pskc-key-derivation': 'derives its key in a way that is not known here; expected PBKDF2',
    'pskc-iterations': 'asks for more than {most} iterations',
    'pskc-encryption-unknown': 'is encrypted in a way that is not known here',
    'pskc-mac-unknown': 'has MACs of a kind that is not known here',
    'pskc-mac-missing': 'has no MAC',
    'pskc-wrong-key': 'does not open by what was given, or was changed',
    'pskc-signed': 'is signed; give the certificate of whoever signed it, so that it can be verified',
    'pskc-not-signed': 'is not signed, though the certificate of a sender was given',
    'pskc-signature-form':
      'is signed in a form that is not taken: one enveloped signature over the whole, canonical or exclusive canonical XML, RSA or ECDSA with SHA-256 to SHA-512',
    'pskc-signature-partial': 'is signed in parts only; what is not signed could have been put in by anybody',
    'pskc-signature-weak': 'is signed with SHA-1 or MD5, which can be forged; ask the sender to sign with SHA-256',
    'pskc-signature-wrong':
      'is not what was signed by that certificate: it was changed on the way, or somebody else signed it',
    'pskc-certificate-unknown': 'is encrypted to a certificate that is none of ours',
    'pskc-empty': 'holds no key',
    'not-yaml': 'is not YAML in one document without anchors, aliases and tags',
    'not-changed': 'cannot be changed; add another one instead',
    'unknown-field': 'is not known here',
    'no-form': 'fits none of the forms that are allowed',
    'idempotency-key': 'expected 8 to 100 visible characters without spaces',
    etag: 'expected the ETag as it was answered, such as "v3"',
    'not-an-application': 'is not a registered application',
    'other-prompt': 'expected {kind}, which is what the sign-in asks for now',
    'not-their-carrier': 'is not a carrier of this person',
    'lost-carrier': 'is a carrier that was reported lost',
    'code-shape': 'expected 6 to 8 digits',
    'codes-number': 'expected {number} codes, one after the other',
    'current-password': 'the current password is needed',
    'foreign-cursor': 'is not the `next` of a page of this list',
    missing: 'is missing',
    'wrong-type': 'expected {expected}',
    'one-of': 'expected one of {values}',
    'too-small': 'at least {least}',
    'too-big': 'at most {most}',
    'wrong-form': 'does not have the form that belongs here ({form})',
    unexpected: 'is not what can stand here',
  },
  errors: {
    'invalid-input': {
      title: 'Something in the request is not as expected.',
      remedy: 'Correct the fields that are named and send it again.',
    },
    'malformed-body': {
      title: 'The body is not complete JSON.',
      remedy: 'Send one JSON object; it may have been cut short on the way.',
    },
    'not-signed-in': {
      title: 'You are not signed in, or no longer.',
      remedy: 'Sign in again: open the console, or run nlatch login.',
    },
    'wrong-key': {
      title: 'This application key is not valid.',
      remedy: 'Check the Authorization header, or issue a new key on the page of the application.',
    },
    'not-permitted': {
      title: 'Your roles do not allow this.',
      remedy: 'Ask an owner; the permission that is missing is {permission}.',
    },
    'outside-your-groups': {
      title: 'Your roles are limited to groups, and this is outside of them.',
      remedy: 'Ask an owner, or somebody whose role has no limit; the permission is {permission}.',
    },
    'owners-only': {
      title: 'This is an administrator or an emergency account; only owners may change those.',
      remedy: 'Ask an owner.',
    },
    'own-rights': {
      title: 'Nobody changes their own roles.',
      remedy: 'Ask another owner.',
    },
    'not-yours-to-sign': {
      title: 'This countersignature is not yours to give or refuse.',
      remedy: 'It takes another administrator who may do it themselves, and whom it is not about.',
    },
    'role-not-limitable': {
      title: 'The role {role} is about the installation as a whole and cannot be limited to groups.',
      remedy: 'Give it without a limit, or give another role.',
    },
    'signature-needed': {
      title: 'This needs the yes of a second administrator; nothing was done yet.',
      remedy:
        'Do it again once the request {request} is countersigned, before {until}. Where there is no second administrator, from {ripe} on.',
    },
    'signature-expired': {
      title: 'The request for a countersignature has run out.',
      remedy: 'Ask for it again.',
    },
    'scope-missing': {
      title: 'This connection was not granted the scope {scope}.',
      remedy: 'Grant it on the page of the application if it should have it.',
    },
    'proof-needed': {
      title: 'This needs a fresh proof that it is you.',
      remedy: 'Sign in once more, then repeat it.',
    },
    'cross-site': {
      title: 'The request did not come from this console.',
      remedy: 'Open the console itself and do it there.',
    },
    'not-found': {
      title: 'There is no such thing here.',
      remedy: 'Check the address or the id; it may have been deleted.',
    },
    'login-name-taken': {
      title: 'The login name {loginName} belongs to somebody already.',
      remedy: 'Choose another, or take it away from that person first.',
    },
    'serial-taken': {
      title: 'Another carrier has this serial number: it belongs to {name}.',
      remedy: 'Read the number again; where the device has changed hands, take it off that carrier first.',
    },
    'name-taken': { title: 'The name {name} is taken.', remedy: 'Choose another name.' },
    'wrong-state': {
      title: 'That cannot be done while it is {state}.',
      remedy: 'Look at it again; it may have changed meanwhile.',
    },
    'last-login-name': {
      title: 'This is the last login name; without one a person cannot sign in.',
      remedy: 'Add another first.',
    },
    'last-owner': {
      title: 'This is the last active owner; nobody could administer the service any more.',
      remedy: 'Appoint another owner first.',
    },
    'limit-reached': {
      title: 'There are {limit} already, the most there can be.',
      remedy: 'Remove one that is no longer needed.',
    },
    'count-changed': {
      title: 'It would concern {people/person/people}, not as many as were counted; nothing was done.',
      remedy: 'Look at the list again and repeat it with the number that is right now.',
    },
    'group-circle': {
      title: 'That would make the group a part of itself.',
      remedy: 'Look which of the two holds the other already, and take it out there first.',
    },
    'bad-rows': {
      title: '{refused/row is/rows are} refused, so nothing was written.',
      remedy: 'Mend them in the file and send it again, or say that bad rows may be skipped.',
    },
    'too-many-missing': {
      title: '{missing/person is/people are} missing in the file and would be deactivated; at most {most} may.',
      remedy: 'Check that the file is whole. If it is, say how many may be deactivated.',
    },
    'not-a-table': {
      title: 'This file cannot be read as a table.',
      remedy: 'Save it as CSV in UTF-8, with every quote closed, and send it again.',
    },
    'sign-in-ended': { title: 'This sign-in has ended.', remedy: 'Begin a new one.' },
    'sign-in-moved-on': {
      title: 'Another proof was being checked at the same moment.',
      remedy: 'Look where the sign-in stands now, then answer its prompt.',
    },
    'request-gone': {
      title: 'This request to sign in has run out, or was used already.',
      remedy: 'Go back to the application and begin there again.',
    },
    'link-spent': {
      title: 'This link has been used, or its time is over.',
      remedy: 'Make a new one on the host: nlatchd owner-link.',
    },
    'changed-meanwhile': {
      title: 'Somebody changed it since you last looked.',
      remedy: 'Load it again, then repeat your change.',
    },
    'body-too-large': { title: 'The request is larger than the {limit} bytes allowed.', remedy: 'Send less at once.' },
    'unsupported-media-type': {
      title: 'The body is of another type than JSON.',
      remedy: 'Send content-type: application/json.',
    },
    'key-file-unreadable': {
      title: 'The file of tokens cannot be read; nothing of it was kept.',
      remedy: 'See where and why; ask the maker for it once more, or give the key that belongs to it.',
    },
    'code-used': {
      title: 'These codes were accepted before, or older ones than these.',
      remedy: 'Wait for the next code, or press the button again, and give two new ones.',
    },
    'stock-empty': {
      title: 'No token is left in the stock there.',
      remedy: 'Choose another batch, bring a new file in, or put returned tokens back into the stock.',
    },
    'code-wrong': { title: 'That is not the code.', remedy: 'Wait for the next one and type it as shown.' },
    'clock-off': {
      title: 'The code is right for another time: the clock of the device is {minutes} min {seconds} s {direction}.',
      remedy: 'Set the date and time of the device to automatic, then type a new code.',
    },
    'codes-not-consecutive': {
      title: 'The two codes do not follow each other.',
      remedy: 'Type one code, wait until it changes, type the very next one.',
    },
    'token-days': {
      title: 'This token is not good today: its days are {from} to {until}.',
      remedy: 'Take another one; these days came with it from its maker.',
    },
    'key-needs-name': {
      title: 'Passkeys and security keys need a service that has a name; this one is at the address {address}.',
      remedy: 'Give the service a name in your network, and set NLATCH_PUBLIC_URL to it.',
    },
    'key-not-taken': {
      title: 'What the key answered cannot be taken ({reason}, step {step}).',
      remedy: 'Begin again. If it stays, try another browser or another key.',
    },
    'key-known': {
      title: 'This key is registered already.',
      remedy: 'Use it as it is, or remove it first where it is registered.',
    },
    'pin-weak': {
      title: 'This PIN will not do: {why}.',
      remedy: 'Choose other digits, that are no row and no date of yours.',
    },
    'password-weak': {
      title: 'This password will not do: {why}.',
      remedy: 'Choose a longer one; several words are fine.',
    },
    'password-wrong': { title: 'The current password is not right.', remedy: 'Type it again.' },
    'key-reused': {
      title: 'This Idempotency-Key came with another request before.',
      remedy: 'Use a new key for each new request.',
    },
    'named-by-methods': {
      title: 'The method settings have a row for this group.',
      remedy: 'Take the row out first; else its people would fall to the rows below from one moment to the next.',
    },
    'method-not-offered': {
      title: 'The method settings do not offer {method} to this person (row {row} decides; 0 for none).',
      remedy: 'Look at what they are offered and why: nlatch keyring methods <person>, or the method settings.',
    },
    'named-by-rule': {
      title: 'The rule “{rule}” of the rulebook in force names it.',
      remedy:
        'Publish a rulebook that does without it first; else the rule would mean something else from one moment to the next.',
    },
    'draft-missing': {
      title: 'There is no draft of the rulebook.',
      remedy: 'Save one first.',
    },
    'configuration-unsound': {
      title: 'The file is not a configuration as it stands; nothing was changed.',
      remedy: 'Mend it where the problems are, and try again; nlatch config export shows the form.',
    },
    'draft-in-the-way': {
      title: 'There is a draft of the rulebook already, and the file has another one; nothing was changed.',
      remedy: 'Publish or discard the draft first, or take the rulebook out of the file.',
    },
    'draft-unsound': {
      title: 'The draft cannot be published: {problems/thing is/things are} wrong with its text.',
      remedy: 'Review it: what is wrong is told by line and column.',
    },
    'if-match-needed': {
      title: 'The request does not say which version it changes.',
      remedy: 'Send If-Match with the ETag that you last saw.',
    },
    throttled: { title: 'Too many attempts.', remedy: 'Try again in {seconds/second/seconds}.' },
    internal: {
      title: 'Something went wrong on our side.',
      remedy: 'Try again; if it stays, give the request id to whoever runs the service.',
    },
    unavailable: {
      title: 'The service cannot reach its database at the moment.',
      remedy: 'Try again in a few seconds.',
    },
  },
  weakness: {
    'too-short': 'it has fewer than {least} characters',
    blocked: 'it is a common password or a name that belongs here, with little around it',
    same: 'it is the one before',
    'too-long': 'it has more than 256 characters',
    'own-name': 'it is the login name',
    'one-character': 'it is one character over and over',
    'pin-digits': 'it has something other than digits',
    'pin-short': 'it has fewer than {least} digits',
    'pin-long': 'it has more than 12 digits',
    'pin-pattern': 'it is one digit over and over, a row up or down, or the same digits twice',
    'pin-same': 'it is the one before',
  },
  clock: { ahead: 'ahead', behind: 'behind' },
  signInStates: {
    asking: 'asking',
    'let-in': 'let in',
    refused: 'refused',
    'enrol-first': 'must enrol first',
    expired: 'expired',
  },
  reasons: {
    proved: 'all proofs were right',
    'wrong-proof': 'the proof was not right',
    'too-many-attempts': 'too many wrong proofs',
    throttled: 'paused after too many wrong proofs',
    'no-usable-authenticator': 'nothing on the keyring to prove with',
    'prompt-not-carried': 'the application cannot show what is asked',
    'refused-by-rule': 'a rule refuses it',
    'password-must-change': 'the password must be changed first, where that can be asked for',
    grace: 'days of grace: nothing to prove with yet',
    cancelled: 'given up',
    expired: 'took too long',
    'person-unknown': 'nobody has this login name',
    'person-deactivated': 'the person is deactivated',
    'pin-must-change': 'a PIN must be chosen first, where that can be asked for',
    'no-password-set': 'the person has no password',
    'wrong-password': 'wrong password',
    'wrong-code': 'wrong code',
    'pin-wanted': 'the code was right, its PIN was missing',
    'key-unknown': 'none of their keys answered',
    'key-refused': 'what the key answered did not hold',
    'key-not-verified': 'the key did not verify its holder, as the way asks',
    'key-copied': 'the counter of the key did not go on: it may have been copied',
    'wrong-pin': 'the code was right, the PIN was not',
    'counter-far': 'a counter that is far ahead of the last code; two codes find it again',
    'code-already-used': 'this code, or a later one, was used before',
    'needs-unlock': 'the authenticator needs an unlock: 100 wrong proofs in a row',
    'source-throttled': 'too many wrong proofs from this source',
    'authenticator-gone': 'the authenticator was taken out of use meanwhile',
  },
  prompts: {
    password: 'Password',
    code: 'Code',
    'next-code': 'The code after that',
    webauthn: 'Passkey or security key',
    wait: 'Waiting for an answer elsewhere',
    choose: 'Choose one',
    'new-pin': 'New PIN',
    'new-password': 'New password',
    text: 'PIN',
  },
  ...enAccess,
  ...enMethods,
  ...enKeys,
  ...enRisk,
  methods: {
    password: 'password',
    totp: 'code from an app',
    hotp: 'code from a token',
    webauthn: 'passkey or security key',
    push: 'push',
    sms: 'text message',
    voice: 'call',
    email: 'mail',
    recovery: 'recovery code',
    pass: 'temporary pass',
    certificate: 'certificate',
    workstation: 'workstation key',
    sshkey: 'SSH key',
  },
  authenticatorStates: {
    pending: 'pending',
    active: 'active',
    suspended: 'suspended',
    parked: 'parked',
    revoked: 'revoked',
    expired: 'expired',
  },
  story: {
    begun: 'began',
    asked: 'asked for {prompt}',
    chosen: 'wanted to be asked for {prompt}',
    right: '{method}: right',
    renewed: 'chose a new password',
    counted: '{method}: proved in this browser before, at {proved}',
    wrong: '{method}: not right',
    'turned-away': 'attempt turned away',
    ended: 'ended',
  },
  ...enTrail,
  /** Who acted where no person did, and who is meant where a name is gone. */
  actors: { host: 'the host', service: 'the service', nobody: 'somebody unknown', erased: 'somebody since deleted' },
  mail: enMail,
  rulebook: enRulebook,
} as const;

type Words<T> = { readonly [K in keyof T]: T[K] extends string ? string : Words<T[K]> };
/** The shape that every language fills. */
export type Catalogue = Words<typeof en>;
