import { z } from 'zod';
import { open, operator, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { id, instant, line, secretText } from '../schema.js';
import { authenticator, onPhone } from './keyring.js';
import { right } from './own.js';

const BY_DEVICE = 'a phone says it, signed by its own key';
const BY_RIGHT = 'the person has a right that they proved';
const byId = z.strictObject({ id });
const token = secretText(LIMITS.pushTokenChars).describe('A compact JWS: docs/push-protocol.md');

const begun = z.strictObject({
  authenticator,
  link: z.string().describe('What the phone opens; the code stands in the fragment'),
  qrSvg: z.string().describe('The link as a picture'),
  until: instant.describe('Until when a phone may follow it'),
});

const request = z
  .strictObject({
    id,
    kind: z.enum(['test', 'sign-in']).describe('test: the first one of a phone, which proves it'),
    challenge: z.string().describe('32 bytes in base64url'),
    asksNumber: z.boolean().describe('The number that is shown where somebody signs in has to be typed'),
    application: z.string().nullable(),
    network: z.string().nullable().describe('A network by its name, where the address is in one'),
    city: z.string().nullable(),
    country: z.string().nullable(),
    browser: z.string().nullable().describe('Browser and system'),
    at: instant,
    until: instant,
  })
  .describe('One question to a phone');

const test = z.strictObject({
  state: z.enum(['waiting', 'answered', 'over']).describe('over: its time has passed, or a later one took its place'),
  askedAt: instant,
  shownAt: instant.nullable().describe('When the phone first saw it'),
  answeredAt: instant.nullable(),
  until: instant,
});

const asked = z.strictObject({
  now: instant.describe('The time here: what is signed goes by it'),
  organisation: z.string(),
  person: z.string().describe('Whose phone it is'),
  state: z.enum(['pending', 'active', 'suspended']),
  waking: z
    .strictObject({
      key: z.string().describe('The key to subscribe for (RFC 8292), in base64url'),
      state: z
        .enum(['none', 'ready', 'gone'])
        .describe('gone: the push service knows nothing of the subscription any more'),
    })
    .describe('How this phone is woken while its page is closed'),
  unlock: z
    .strictObject({
      rpId: z.string().describe('The relying party of the credential (Web Authentication Level 3)'),
      credential: z
        .string()
        .nullable()
        .describe('Its id in base64url; null where the phone can be set up with one now'),
      required: z.boolean().describe('Nothing is approved without it'),
    })
    .nullable()
    .describe('How the phone verifies its holder; null where it does not'),
  requests: z.array(request).describe('What waits, the latest first'),
  answered: z
    .array(
      z.strictObject({ application: z.string().nullable(), said: z.enum(['approve', 'deny', 'not-me']), at: instant }),
    )
    .describe('What it answered lately, the latest first'),
  page: z
    .string()
    .nullable()
    .describe('Which page is served here: one that is another is out of date, and fetches this one'),
});

export const pushRoutes = {
  'push.begin': route('push.begin', {
    summary: 'Begin to enrol a phone that approves, at a desk',
    access: operator('keyring.enrol', { person: 'id' }),
    params: byId,
    body: z.strictObject({ label: line(LIMITS.labelChars).default('Phone'), carrier: onPhone }),
    answer: begun,
    status: 201,
    errors: ['wrong-state', 'limit-reached', 'method-not-offered', 'signature-needed'],
    idempotent: true,
    trail: ['authenticator.begun', 'carrier.added'],
  }),
  'push.prove': route('push.prove', {
    summary: 'Let a phone that answered its first request be used from now on',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    answer: authenticator,
    errors: ['wrong-state', 'phone-waits', 'method-not-offered'],
    trail: ['authenticator.proved', 'authenticator.revoked'],
  }),
  'push.test': route('push.test', {
    summary: 'Ask a phone that approves for nothing, to see that it answers',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    answer: test,
    status: 201,
    errors: ['wrong-state', 'limit-reached'],
    trail: ['push.test-sent'],
  }),
  'push.tested': route('push.tested', {
    summary: 'What has become of the latest test of a phone',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    answer: test,
    trail: { none: 'reads what a phone answered to a test' },
  }),
  'own.beginPush': route('own.beginPush', {
    summary: 'Begin to enrol a phone that approves',
    access: open(BY_RIGHT),
    body: z.strictObject({ right, carrier: line(LIMITS.labelChars).default('Phone') }),
    answer: begun,
    status: 201,
    errors: ['request-gone', 'limit-reached', 'wrong-state', 'method-not-offered'],
    trail: ['authenticator.begun', 'carrier.added'],
  }),
  'own.provePush': route('own.provePush', {
    summary: 'Let a phone that answered its first request be used from now on',
    access: open(BY_RIGHT),
    params: byId,
    body: z.strictObject({ right }),
    answer: z.strictObject({ label: z.string() }),
    errors: ['request-gone', 'wrong-state', 'phone-waits', 'method-not-offered'],
    trail: ['authenticator.proved', 'authenticator.revoked', 'invitation.done'],
  }),
  'phones.enrol': route('phones.enrol', {
    summary: 'A phone brings its key, by the code that it was shown',
    access: open(BY_DEVICE),
    body: z.strictObject({ token }),
    answer: asked.extend({
      device: id,
      codes: z
        .strictObject({
          keyUri: z.string().describe('otpauth://totp/…; told this once'),
          codesNeeded: z.number().int().describe('So many codes, one after the other, prove it with the first answer'),
        })
        .nullable()
        .describe('A key for time-based codes, for when the phone has no network'),
    }),
    status: 201,
    errors: ['phone-unknown', 'phone-clock', 'phone-known', 'limit-reached'],
    trail: ['phone.came', 'authenticator.begun'],
  }),
  'phones.fetch': route('phones.fetch', {
    summary: 'A phone asks what waits for it',
    access: open(BY_DEVICE),
    body: z.strictObject({ token }),
    answer: asked,
    errors: ['phone-unknown', 'phone-clock'],
    trail: { none: 'reads what waits; that it was shown stands with the request' },
  }),
  'phones.answer': route('phones.answer', {
    summary: 'A phone answers a request',
    access: open(BY_DEVICE),
    body: z.strictObject({ token }),
    answer: z.strictObject({
      outcome: z
        .enum(['taken', 'wrong-number', 'locked', 'same-browser', 'over'])
        .describe(
          'locked: its holder was not verified, and has to be; same-browser: the sign-in was begun in this very browser; over: it was answered, withdrawn, or its time has passed',
        ),
      codes: z.boolean().optional().describe('Whether the codes that were made with the phone are right'),
    }),
    errors: ['phone-unknown', 'phone-clock', 'throttled'],
    trail: [
      'push.approved',
      'push.denied',
      'push.wrong-number',
      'push.not-unlocked',
      'sign-in.refused',
      'sign-in.judged',
    ],
  }),
  'phones.subscribe': route('phones.subscribe', {
    summary: 'A phone says how it can be woken',
    access: open(BY_DEVICE),
    body: z.strictObject({ token }),
    answer: z.strictObject({ wakes: z.boolean() }),
    errors: ['phone-unknown', 'phone-clock', 'push-service-refused'],
    trail: { none: 'says where to reach it, and nothing that anybody gets in by' },
  }),
};
