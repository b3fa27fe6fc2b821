import {
  CLAIMS,
  METHODS,
  OPERATOR_REASONS,
  OWN_PLACES,
  PROMPT_KINDS,
  REASONS,
  SIGNALS,
  SIGN_IN_STATES,
  VERDICTS,
} from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { application, open, operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { id, instant, line, page, pageQuery, secretText } from '../schema.js';
import { assertionResponse, byKey, keyOffer, requestOptions } from './webauthn.js';

const ask = z.strictObject({
  kind: z.enum(PROMPT_KINDS),
  methods: z.array(z.enum(METHODS)).describe('Which authenticators can answer it'),
});
const prompt = ask
  .extend({
    others: z
      .array(ask)
      .describe('What can be asked for instead: answer with kind choose, and the first of its methods as value'),
    text: z.literal('pin').optional().describe('Of a prompt text: what is to be typed'),
    publicKey: requestOptions.optional().describe('Of a prompt webauthn: what to ask the browser for'),
    number: z.string().nullable().optional().describe('Of a prompt wait: what to show; the phone asks for it'),
  })
  .describe('What to ask the person next');

/** What an application learns of a sign-in. */
export const signIn = z.strictObject({
  id,
  state: z.enum(SIGN_IN_STATES),
  prompt: prompt.nullable(),
  reason: z.enum(REASONS).nullable().describe('Why the last proof did not count, or why it ended'),
  retryAt: instant.nullable().describe('With reason throttled: when a proof is looked at again'),
  expiresAt: instant,
  ignoredClaims: z.array(z.enum(CLAIMS)).describe('Claims that this connection was not granted'),
  person: z.strictObject({ id, displayName: z.string() }).nullable().describe('Once let in'),
  way: z.string().nullable().describe('Once let in: the proofs in order, such as password + totp'),
  amr: z.array(z.string()).describe('Once let in: RFC 8176 values'),
  graceUntil: instant
    .nullable()
    .describe('Let in without a usable authenticator, by days of grace that end then: to be told to the person'),
  enrolAt: z
    .string()
    .nullable()
    .describe(
      'Where to bring somebody who has to enrol, or should in days of grace; add `&back=` and an address of yours, at one of your origins, to have them brought back',
    ),
});

const claims = z.strictObject({
  passwordChecked: z.literal(true).optional().describe('The application has checked the password already'),
  sourceAddress: z.union([z.ipv4(), z.ipv6()]).optional().describe('Where the person is, as the application sees it'),
  browser: line(400).optional().describe('Its User-Agent'),
  risk: z.number().min(0).max(1).optional(),
  unlock: z
    .literal(true)
    .optional()
    .describe('The person unlocks a screen where they are signed in already, instead of signing in'),
});

/** Whom a sign-in is about: a name, or what a key answered. */
export const whoOrKey = {
  loginName: secretText(LIMITS.loginNameChars * 2)
    .optional()
    .describe('Left out where a key says it'),
  byKey: byKey.optional(),
};

const beginBody = z.strictObject({
  loginName: secretText(LIMITS.loginNameChars * 2),
  carries: z
    .array(z.enum(PROMPT_KINDS))
    .max(PROMPT_KINDS.length)
    .default(['password', 'code'])
    .describe('Prompt kinds that the application can show'),
  claims: claims.default({}),
});

export const proofBody = z.strictObject({
  kind: z
    .enum(['password', 'code', 'next-code', 'text', 'webauthn', 'wait', 'choose', 'new-password', 'new-pin'])
    .describe(
      'The prompt that it answers; choose asks for another; wait looks whether a phone has answered, also where something else is asked',
    ),
  value: secretText(LIMITS.proofChars)
    .optional()
    .describe('What was typed or chosen; of every kind but webauthn and wait'),
  credential: assertionResponse
    .optional()
    .describe('Of kind webauthn: what the browser answered, as its toJSON gives it'),
  seconds: z
    .number()
    .int()
    .min(0)
    .max(LIMITS.waitSeconds)
    .optional()
    .describe('Of kind wait: how long the answer is held back while no phone has answered; at once unless said'),
});

const byId = z.strictObject({ id });

/** What became of a question to somebody’s phones. */
const PHONE_STEPS = ['phone-shown', 'phone-approved', 'phone-denied', 'phone-not-me', 'phone-given-up'] as const;

const storyStep = z.strictObject({
  at: instant,
  what: z.enum([
    'begun',
    'asked',
    'chosen',
    'right',
    'counted',
    'renewed',
    'wrong',
    'turned-away',
    'ended',
    ...PHONE_STEPS,
  ]),
  prompt: z.enum(PROMPT_KINDS).optional(),
  method: z.enum(METHODS).optional(),
  authenticator: id.optional(),
  why: z.enum(OPERATOR_REASONS).optional(),
  until: instant.optional(),
  proved: instant.optional().describe('When it was proved, where that was in an earlier sign-in'),
  from: z.string().optional().describe('The address that a phone answered from'),
});

export const activityRow = z.strictObject({
  id,
  at: instant,
  application: z.strictObject({ id, name: z.string().nullable() }),
  person: z
    .strictObject({ id, displayName: z.string().nullable() })
    .nullable()
    .describe('Null for a login name that is nobody’s'),
  state: z.enum(SIGN_IN_STATES),
  reason: z.enum(OPERATOR_REASONS).nullable(),
  way: z.string().nullable(),
  rule: z.string().nullable().describe('The rule that decided; null for *otherwise*'),
  version: z.number().int().describe('The version of the rulebook by which it was decided'),
  sourceAddress: z.string().nullable(),
  walkThrough: z.boolean(),
  delegate: z
    .strictObject({ id, displayName: z.string().nullable() })
    .nullable()
    .describe('Who signed in in the person’s name, by a pass that they hold for them'),
});

const signal = z.strictObject({
  signal: z.enum(SIGNALS),
  facts: z.record(z.string(), z.union([z.string(), z.number()])),
});

const activityStory = z.strictObject({
  ...activityRow.shape,
  endedAt: instant.nullable(),
  networks: z.array(z.string()).describe('Networks that the address lies in, as they are now'),
  browser: z.string().nullable(),
  risk: z.number().nullable().describe('From 0 to 1; null where nothing was looked at'),
  signals: z.array(signal).describe('What was noticed, where some rule goes by risk'),
  judged: z.enum(VERDICTS).nullable().describe('What an administrator said of it'),
  claims: z.array(z.enum(CLAIMS)).describe('Claims that were taken'),
  ignoredClaims: z.array(z.enum(CLAIMS)),
  wrong: z.number().int(),
  steps: z.array(storyStep),
});

export const walkThrough = z.strictObject({ signIn, story: activityStory });

const activityFilter = {
  person: id.optional(),
  application: id.optional(),
  state: z.enum(SIGN_IN_STATES).optional(),
  since: instant.optional(),
  until: instant.optional(),
};

export const signInRoutes = {
  'passkeys.offer': route('passkeys.offer', {
    summary: 'What keys may be asked at our own pages before anybody has said who they are',
    access: open('nobody is signed in yet'),
    body: z.strictObject({
      place: z.enum(['console', 'application', ...OWN_PLACES]).describe('Where it is to open something'),
    }),
    answer: keyOffer,
    trail: { none: 'a question is made and sealed; nothing is stored, and nothing is said of anybody' },
  }),
  'signIns.offer': route('signIns.offer', {
    summary: 'What an application’s own page may ask of keys before anybody has said who they are',
    access: application('check'),
    answer: keyOffer,
    trail: { none: 'a question is made and sealed; nothing is stored, and nothing is said of anybody' },
  }),
  'signIns.begin': route('signIns.begin', {
    summary: 'Ask about one person; the answer says what to ask them next',
    access: application('check'),
    body: beginBody.extend(whoOrKey),
    answer: signIn,
    status: 201,
    errors: ['key-not-right', 'request-gone', 'throttled'],
    idempotent: true,
    trail: ['sign-in.let-in', 'sign-in.enrol-first', 'sign-in.refused', 'sign-in.proof-failed', 'authenticator.copied'],
  }),
  'signIns.show': route('signIns.show', {
    summary: 'Where a sign-in of this connection stands',
    access: application('check'),
    params: byId,
    answer: signIn,
    trail: READS,
  }),
  'signIns.prove': route('signIns.prove', {
    summary: 'Answer the prompt',
    access: application('check'),
    params: byId,
    body: proofBody,
    answer: signIn,
    errors: ['sign-in-ended', 'sign-in-moved-on'],
    idempotent: true,
    trail: ['sign-in.let-in', 'sign-in.refused', 'sign-in.enrol-first', 'sign-in.proof-failed', 'authenticator.copied'],
  }),
  'signIns.events': route('signIns.events', {
    summary:
      'Tells when a phone has answered, as server-sent events: `waiting` with `until`, then one of `answered` (go on with a proof of kind wait), `ended`, `moved-on`, `over`',
    access: application('check'),
    params: byId,
    answer: z.string(),
    media: 'text/event-stream',
    trail: READS,
  }),
  'signIns.cancel': route('signIns.cancel', {
    summary: 'Give a sign-in up',
    access: application('check'),
    params: byId,
    answer: signIn,
    errors: ['sign-in-ended'],
    trail: ['sign-in.cancelled'],
  }),
  'console.begin': route('console.begin', {
    summary: 'Begin to sign in to the console or the command-line client',
    access: open('nobody is signed in yet'),
    body: z.strictObject({
      ...whoOrKey,
      keys: z.boolean().default(true).describe('Whether a key can answer here, which a terminal cannot have it do'),
    }),
    answer: z.strictObject({
      signIn,
      handle: z.string().describe('Proves in the next calls that they come from whoever began'),
    }),
    status: 201,
    errors: ['throttled', 'key-not-right', 'request-gone', 'not-permitted'],
    trail: [
      'sign-in.let-in',
      'sign-in.refused',
      'sign-in.enrol-first',
      'sign-in.proof-failed',
      'authenticator.copied',
      'session.started',
      'session.re-proved',
    ],
  }),
  'console.prove': route('console.prove', {
    summary: 'Answer the prompt; once let in, a session cookie is set or an access token is given',
    access: open('nobody is signed in yet'),
    params: byId,
    body: z.strictObject({
      ...proofBody.shape,
      handle: secretText(100),
      want: z
        .discriminatedUnion('kind', [
          z.strictObject({ kind: z.literal('session') }),
          z.strictObject({
            kind: z.literal('access-token'),
            label: line(LIMITS.labelChars),
            hours: z.number().int().min(1).max(LIMITS.tokenHoursMost).default(LIMITS.tokenHours),
          }),
        ])
        .default({ kind: 'session' }),
    }),
    answer: z.strictObject({
      signIn,
      accessToken: z.strictObject({ token: z.string(), expiresAt: instant }).nullable().describe('Not shown again'),
    }),
    errors: ['sign-in-ended', 'sign-in-moved-on', 'not-permitted'],
    trail: [
      'sign-in.let-in',
      'sign-in.refused',
      'sign-in.proof-failed',
      'authenticator.copied',
      'session.started',
      'session.re-proved',
      'access-token.issued',
    ],
  }),
  'walkThroughs.begin': route('walkThroughs.begin', {
    summary: 'Do a sign-in by hand, to see what a person meets at an application',
    access: operator('walk-through.run'),
    body: z.strictObject({ ...beginBody.shape, applicationId: id }),
    answer: walkThrough,
    status: 201,
    idempotent: true,
    trail: ['sign-in.enrol-first', 'sign-in.refused'],
  }),
  'walkThroughs.prove': route('walkThroughs.prove', {
    summary: 'Answer its prompt',
    access: operator('walk-through.run'),
    params: byId,
    body: proofBody,
    answer: walkThrough,
    errors: ['sign-in-ended', 'sign-in-moved-on'],
    idempotent: true,
    trail: ['sign-in.let-in', 'sign-in.refused', 'sign-in.enrol-first', 'sign-in.proof-failed'],
  }),
  'activity.list': route('activity.list', {
    summary: 'Sign-ins, newest first',
    access: operator('activity.read', 'within'),
    query: z.strictObject({ ...pageQuery, ...activityFilter }),
    answer: page(activityRow),
    trail: READS,
  }),
  'activity.stream': route('activity.stream', {
    summary: 'Tells when sign-ins or the trail have changed, as server-sent events; nothing of what they hold',
    access: operator('activity.read', 'within'),
    answer: z.string(),
    media: 'text/event-stream',
    trail: READS,
  }),
  'activity.export': route('activity.export', {
    summary: 'Sign-ins that meet a filter as CSV (RFC 4180), newest first; that it was taken is on the trail',
    access: operator('activity.read', 'within'),
    query: z.strictObject(activityFilter),
    answer: z.string(),
    media: 'text/csv; charset=utf-8',
    trail: ['activity.exported'],
  }),
  'activity.judge': route('activity.judge', {
    summary: 'Say whether a sign-in was the person; if not, all their sessions and remembered browsers end',
    access: operator('keyring.suspend', { signIn: 'id' }),
    params: byId,
    body: z.strictObject({ verdict: z.enum(VERDICTS).describe('confirmed: it was not them; dismissed: it was') }),
    answer: activityStory,
    errors: ['wrong-state'],
    trail: ['sign-in.judged', 'browser-session.ended', 'browser.forgotten'],
  }),
  'activity.show': route('activity.show', {
    summary: 'The full story of one sign-in',
    access: operator('activity.read', { signIn: 'id' }),
    params: byId,
    answer: activityStory,
    trail: READS,
  }),
  'people.meets': route('people.meets', {
    summary: 'What a person would meet at each application now, if they proved everything right',
    access: operator('person.read', { person: 'id' }),
    params: z.strictObject({ id }),
    query: z.strictObject({
      without: id.optional().describe('As if this authenticator were gone'),
      only: id.optional().describe('As if they had nothing at hand but this one, and their password'),
    }),
    answer: z.strictObject({
      rows: z.array(
        z.strictObject({
          application: z.strictObject({ id, name: z.string() }),
          outcome: z.enum(['let-in', 'refused', 'enrol-first']),
          asks: z.array(z.enum(PROMPT_KINDS)).describe('In their order'),
          vouches: z.boolean().describe('A connection of it may say that it has checked the password itself'),
          reason: z.enum(OPERATOR_REASONS).nullable().describe('Why they would not be let in'),
          rule: z.string().nullable().describe('The rule that decides; null for *otherwise*'),
          serves: z
            .array(z.strictObject({ id, method: z.enum(METHODS), label: z.string() }))
            .describe('Authenticators that answer what is asked beside the password'),
        }),
      ),
    }),
    trail: READS,
  }),
};
