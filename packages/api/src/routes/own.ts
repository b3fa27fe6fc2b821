import { METHODS, OWN_PLACES, SELF_ACTIONS, SIGN_IN_STATES, WHY_NOT_OFFERED } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { open, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { id, instant, line, nothing, secretText } from '../schema.js';
import { recoveryMade, testOutcome, totpBegun, typedCode, typedPin, webauthnBegun } from './keyring.js';
import { pageRoutes } from './pages.js';
import { assertionResponse, registrationResponse, requestOptions } from './webauthn.js';
import { proofBody, signIn, whoOrKey } from './signins.js';

export const right = z
  .string()
  .min(1)
  .max(LIMITS.requestChars)
  .regex(/^[\w-]+$/)
  .describe('As own.prove gave it; good for a quarter of an hour');

const ownRight = z
  .string()
  .nullable()
  .describe('Once let in: sent with every call that follows, for a quarter of an hour');
const byId = z.strictObject({ id });
const BY_RIGHT = 'whoever has just proved who they are, which the right shows';

/** Places of our own where people help themselves; the rulebook says who may, as at any application. */
export const ownRoutes = {
  'own.begin': route('own.begin', {
    summary: 'Begin to sign in where people help themselves: to enrol something, or to replace a forgotten password',
    access: open('nobody is signed in yet'),
    body: z.strictObject({
      place: z.enum(OWN_PLACES),
      ...whoOrKey,
      invitation: secretText(LIMITS.invitationCodeChars)
        .optional()
        .describe('The code of an invitation to enrol, in place of a name or a key'),
    }),
    answer: z.strictObject({
      signIn,
      handle: z.string().describe('Proves in the next calls that they come from whoever began'),
      right: ownRight,
    }),
    status: 201,
    errors: ['throttled', 'key-not-right', 'request-gone', 'owners-only', 'invitation-gone'],
    trail: [
      'invitation.opened',
      'invitation.begun',
      'sign-in.let-in',
      'sign-in.refused',
      'sign-in.enrol-first',
      'sign-in.proof-failed',
      'authenticator.copied',
    ],
  }),
  'own.prove': route('own.prove', {
    summary: 'Answer the prompt; once let in, the answer holds the right to go on',
    access: open('nobody is signed in yet'),
    params: byId,
    body: z.strictObject({ ...proofBody.shape, handle: secretText(100) }),
    answer: z.strictObject({
      signIn,
      right: ownRight,
    }),
    errors: ['sign-in-ended', 'sign-in-moved-on', 'not-permitted'],
    trail: [
      'invitation.begun',
      'sign-in.let-in',
      'sign-in.refused',
      'sign-in.enrol-first',
      'sign-in.proof-failed',
      'authenticator.copied',
    ],
  }),
  'own.show': route('own.show', {
    summary: 'What one holds, and what one may enrol',
    access: open(BY_RIGHT),
    body: z.strictObject({
      right,
      from: z
        .strictObject({ application: id, back: z.string().max(LIMITS.backChars).optional() })
        .optional()
        .describe('The application that brought somebody here, and where they are to go back to'),
    }),
    answer: z.strictObject({
      organisation: z.string(),
      displayName: z.string(),
      until: instant.describe('Until when the right is good'),
      from: z
        .strictObject({
          application: z.string(),
          back: z
            .string()
            .nullable()
            .describe('Null for an address that is at none of its origins: it is led to nowhere'),
        })
        .nullable(),
      looksOnly: z
        .boolean()
        .describe('The right came from being signed in: whatever changes something asks for a proof first'),
      invited: z.boolean().describe('It came from an invitation that is still to be used'),
      held: z.array(
        z.strictObject({
          id,
          method: z.enum(METHODS),
          label: z.string(),
          carrier: z.string().nullable(),
          since: instant,
          carrierId: id.nullable(),
          lastUsedAt: instant.nullable(),
          pin: z.enum(['none', 'own', 'given']),
          left: z.number().int().nullable().describe('Of recovery codes: how many are left'),
          preferred: z.boolean().describe('Asked for first'),
          suspended: z.boolean().describe('Set aside: it proves nothing until somebody takes it back into use'),
          may: z.array(z.enum(SELF_ACTIONS)).describe('What one may do with it by oneself'),
        }),
      ),
      tokens: z
        .array(z.strictObject({ id, serial: z.string(), model: z.string() }))
        .describe('Hardware tokens that were given to them and wait for a first code'),
      holds: z
        .array(
          z.strictObject({
            id,
            person: z.string().describe('In whose name it opens applications'),
            from: instant,
            until: instant,
            left: z.number().int().describe('How often it may still be used'),
            onlyAt: z.array(z.string()).nullable(),
            reason: z.string(),
          }),
        )
        .describe('Passes that one holds for others, and that have not ended'),
      offers: z.array(
        z.strictObject({
          method: z.enum(METHODS),
          enrol: z.boolean(),
          why: z.enum(WHY_NOT_OFFERED).nullable().describe('Why not'),
        }),
      ),
    }),
    errors: ['request-gone'],
    trail: { none: 'shows somebody their own; nothing is changed' },
  }),
  'own.beginTotp': route('own.beginTotp', {
    summary: 'Begin to enrol an app that shows codes; the key is in this one answer and never again',
    access: open(BY_RIGHT),
    body: z.strictObject({ right, carrier: line(LIMITS.labelChars).default('Phone') }),
    answer: totpBegun,
    status: 201,
    errors: ['request-gone', 'limit-reached', 'wrong-state', 'method-not-offered'],
    trail: ['authenticator.begun', 'carrier.added'],
  }),
  'own.proveTotp': route('own.proveTotp', {
    summary: 'Prove what was begun by its first code, or by two; it can be used from then on',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right, codes: z.array(typedCode).min(1).max(2) }),
    answer: z.strictObject({ label: z.string() }),
    errors: [
      'request-gone',
      'wrong-state',
      'method-not-offered',
      'code-wrong',
      'clock-off',
      'codes-not-consecutive',
      'throttled',
    ],
    trail: ['authenticator.proved', 'authenticator.proof-failed', 'invitation.done'],
  }),
  'own.beginWebauthn': route('own.beginWebauthn', {
    summary: 'Begin to enrol a passkey or a security key: what to ask the browser for',
    access: open(BY_RIGHT),
    body: z.strictObject({ right, carrier: line(LIMITS.labelChars).optional() }),
    answer: webauthnBegun,
    status: 201,
    errors: ['request-gone', 'limit-reached', 'wrong-state', 'method-not-offered', 'key-needs-name', 'keys-elsewhere'],
    trail: ['authenticator.begun', 'authenticator.expired', 'relying-party.changed'],
  }),
  'own.proveWebauthn': route('own.proveWebauthn', {
    summary: 'Bring what the browser answered; the key can be used from then on',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right, credential: registrationResponse }),
    answer: z.strictObject({ label: z.string() }),
    errors: ['request-gone', 'wrong-state', 'method-not-offered', 'key-not-taken', 'key-not-allowed', 'key-known'],
    trail: ['authenticator.proved', 'authenticator.proof-failed', 'invitation.done', 'carrier.added'],
  }),
  'own.proveToken': route('own.proveToken', {
    summary: 'Prove a hardware token that was given to one, by the code that it shows, or by two',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right, codes: z.array(typedCode).min(1).max(2) }),
    answer: z.strictObject({ label: z.string() }),
    errors: [
      'request-gone',
      'wrong-state',
      'method-not-offered',
      'token-days',
      'code-wrong',
      'token-clock-off',
      'token-ahead',
      'codes-not-consecutive',
      'throttled',
    ],
    trail: ['authenticator.proved', 'authenticator.proof-failed', 'invitation.done', 'carrier.added'],
  }),
  'own.resync': route('own.resync', {
    summary: 'Have a device of one’s own found again whose codes are refused, by two consecutive ones',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right, codes: z.array(typedCode).length(2) }),
    answer: z.strictObject({ label: z.string() }),
    errors: [
      'request-gone',
      'not-by-oneself',
      'wrong-state',
      'method-not-offered',
      'code-wrong',
      'codes-not-consecutive',
      'code-used',
      'throttled',
    ],
    trail: ['authenticator.resynchronised', 'authenticator.proof-failed'],
  }),
  'own.setPin': route('own.setPin', {
    summary: 'Choose the PIN that is typed before each code of a device of one’s own',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right, pin: typedPin }),
    answer: z.strictObject({ label: z.string() }),
    errors: ['request-gone', 'proof-old', 'not-by-oneself', 'wrong-state', 'method-not-offered', 'pin-weak'],
    trail: ['pin.set'],
  }),
  'own.makeRecovery': route('own.makeRecovery', {
    summary: 'Make recovery codes for oneself, in place of those before; they are in this one answer and never again',
    access: open(BY_RIGHT),
    body: z.strictObject({ right }),
    answer: recoveryMade,
    status: 201,
    errors: ['request-gone', 'proof-old', 'limit-reached', 'wrong-state', 'method-not-offered'],
    trail: ['recovery.made', 'carrier.added'],
  }),
  'own.reportLost': route('own.reportLost', {
    summary: 'Report a device of one’s own lost: everything on it is suspended at once',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right }),
    answer: z.strictObject({
      suspended: z.array(z.string()).describe('Labels of what was suspended'),
      left: z.number().int().describe('Authenticators that are still in use, the password among them'),
    }),
    errors: ['request-gone', 'wrong-state', 'method-not-offered'],
    trail: ['carrier.lost', 'authenticator.suspended', 'authenticator.revoked'],
  }),
  'own.signOut': route('own.signOut', {
    summary: 'Sign out everywhere: every session of one’s own ends, and every browser is forgotten',
    access: open(BY_RIGHT),
    body: z.strictObject({ right }),
    answer: z.strictObject({ sessions: z.number().int(), browsers: z.number().int() }),
    errors: ['request-gone'],
    trail: ['browser-session.ended', 'browser.forgotten', 'session.ended'],
  }),
  'own.signIns': route('own.signIns', {
    summary: 'One’s own latest sign-ins',
    access: open(BY_RIGHT),
    body: z.strictObject({ right }),
    answer: z.strictObject({
      rows: z.array(
        z.strictObject({
          at: instant,
          application: z.string().nullable(),
          state: z.enum(SIGN_IN_STATES),
          way: z.string().nullable(),
          from: z.string().nullable().describe('The address that it came from, as far as it is known'),
          network: z.string().nullable().describe('The narrowest network that the address lies in'),
          city: z.string().nullable(),
          country: z.string().nullable().describe('ISO 3166-1, two letters'),
          by: z.string().nullable().describe('Who signed in in one’s name, by a pass for that'),
          browser: z.string().describe('What the browser says that it is; empty where that is not known'),
        }),
      ),
    }),
    errors: ['request-gone'],
    trail: { none: 'shows somebody their own; nothing is changed' },
  }),
  'own.drawPass': route('own.drawPass', {
    summary: 'Be shown a code of a pass that one holds for somebody else: good once, for some minutes',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right }),
    answer: z.strictObject({
      person: z.string(),
      code: z.string().describe('What is typed where a code is asked for, in groups'),
      spelled: z.array(z.string()),
      until: instant,
    }),
    errors: ['request-gone', 'proof-old', 'proof-weak', 'wrong-state'],
    trail: ['pass.drawn'],
  }),
  'own.bySession': route('own.bySession', {
    summary:
      'See what one holds, where one is signed in by our pages in this browser; to change something takes a proof',
    access: open('the cookie of this browser shows who is signed in'),
    body: z.strictObject({}),
    answer: z.strictObject({ right, loginName: z.string() }),
    errors: ['not-signed-in', 'owners-only'],
    trail: { none: 'shows somebody their own; nothing is changed' },
  }),
  'own.rename': route('own.rename', {
    summary: 'Name a device of one’s own; what is on no device is named itself',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right, label: line(LIMITS.labelChars) }),
    answer: z.strictObject({ label: z.string() }),
    errors: ['request-gone', 'proof-old', 'not-by-oneself', 'wrong-state'],
    trail: ['authenticator.renamed', 'carrier.changed'],
  }),
  'own.prefer': route('own.prefer', {
    summary: 'Have one authenticator of one’s own asked for first, or none',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right, preferred: z.boolean() }),
    answer: nothing,
    errors: ['request-gone', 'proof-old', 'not-by-oneself', 'wrong-state'],
    trail: ['authenticator.preferred'],
  }),
  'own.beginTest': route('own.beginTest', {
    summary:
      'Begin to try an authenticator of one’s own without signing in: what to ask the browser for, where it is a key',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right }),
    answer: z.strictObject({ publicKey: requestOptions.nullable() }),
    errors: ['request-gone', 'not-by-oneself', 'wrong-state', 'key-needs-name', 'keys-elsewhere'],
    trail: { none: 'asks for something; nothing is changed' },
  }),
  'own.test': route('own.test', {
    summary: 'Try it: a code that is right is used up by it',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right, code: typedCode.optional(), credential: assertionResponse.optional() }),
    answer: z.strictObject({ outcome: testOutcome }),
    errors: ['request-gone', 'not-by-oneself', 'wrong-state', 'throttled'],
    trail: ['authenticator.tested', 'authenticator.copied'],
  }),
  'own.remove': route('own.remove', {
    summary:
      'Take an authenticator off one’s own keyring, for good; refused where one would not get in any more without it',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right }),
    answer: z.strictObject({
      left: z.number().int().describe('Authenticators that are still in use, the password among them'),
    }),
    errors: ['request-gone', 'proof-old', 'proof-weak', 'not-by-oneself', 'wrong-state', 'last-way'],
    trail: ['authenticator.revoked', 'carrier.removed'],
  }),
  'own.browsers': route('own.browsers', {
    summary: 'Where one is signed in by our pages, and which browsers need not prove again for some days',
    access: open(BY_RIGHT),
    body: z.strictObject({ right }),
    answer: pageRoutes['browsers.list'].answer,
    errors: ['request-gone'],
    trail: { none: 'shows somebody their own; nothing is changed' },
  }),
  'own.forgetBrowser': route('own.forgetBrowser', {
    summary: 'Forget a browser of one’s own that need not prove again',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right }),
    answer: nothing,
    errors: ['request-gone', 'proof-old'],
    trail: ['browser.forgotten'],
  }),
  'own.setPassword': route('own.setPassword', {
    summary: 'Set a new password in place of the one that was forgotten; all sessions end',
    access: open(BY_RIGHT),
    body: z.strictObject({ right, next: secretText(LIMITS.passwordChars) }),
    answer: nothing,
    errors: ['request-gone', 'password-weak', 'method-not-offered'],
    trail: ['password.set'],
  }),
};
