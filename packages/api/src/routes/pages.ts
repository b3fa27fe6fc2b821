import { z } from 'zod';
import { open, operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { id, instant, nothing, secretText } from '../schema.js';
import { proofBody, signIn, whoOrKey } from './signins.js';

/** What the sign-in pages pass on: a request that an application made, sealed by the service. */
const request = z
  .string()
  .min(1)
  .max(LIMITS.requestChars)
  .regex(/^[\w-]+$/)
  .describe('As it stands in the fragment of the page’s address');

const atPage = {
  signIn: signIn.nullable().describe('Null while nobody has said who they are'),
  handle: z.string().nullable().describe('Proves in the next calls that they come from whoever began'),
  rememberDays: z.number().int().describe('Days for which this browser may be remembered; 0 where the rule has none'),
  redirect: z.string().nullable().describe('Where the browser goes now: it is done'),
};

const remembered = z.strictObject({
  id,
  label: z.string().describe('What the browser says it is'),
  rule: z.string(),
  createdAt: instant,
  until: instant,
  current: z.boolean().describe('The browser that asks'),
});

const session = z.strictObject({
  startedAt: instant,
  expiresAt: instant,
  label: z.string(),
  current: z.boolean(),
});

const byId = z.strictObject({ id });

export const pageRoutes = {
  'pages.begin': route('pages.begin', {
    summary: 'Begin the sign-in that an application sent somebody for',
    access: open('nobody is signed in yet'),
    body: z.strictObject({
      request,
      loginName: whoOrKey.loginName.describe(
        'Left out at first: whoever is signed in in this browser, or is named by the application',
      ),
      byKey: whoOrKey.byKey,
      after: z
        .strictObject({ id, handle: secretText(100), right: secretText(LIMITS.requestChars) })
        .optional()
        .describe(
          'The sign-in in which they had to enrol, and the right by which they did: what was proved then counts',
        ),
    }),
    answer: z.strictObject({
      ...atPage,
      organisation: z.string(),
      application: z.string(),
      back: z.string().describe('Where the browser goes when the person gives up'),
      person: z.string().nullable().describe('Who is signed in in this browser'),
      loginHint: z.string().nullable(),
      resets: z.boolean().describe('People may replace a password that they forgot, where rules let them'),
      named: z.boolean().describe('The application says who it is; nobody else can sign in by this request'),
    }),
    status: 201,
    errors: ['request-gone', 'key-not-right', 'throttled'],
    trail: [
      'sign-in.let-in',
      'sign-in.refused',
      'sign-in.enrol-first',
      'sign-in.proof-failed',
      'authenticator.copied',
      'browser-session.started',
    ],
  }),
  'pages.prove': route('pages.prove', {
    summary: 'Answer the prompt; once let in, the answer says where the browser goes',
    access: open('nobody is signed in yet'),
    params: byId,
    body: z.strictObject({
      ...proofBody.shape,
      request,
      handle: secretText(100),
      remember: z.boolean().default(false).describe('Remember this browser, where the rule allows it'),
    }),
    answer: z.strictObject(atPage),
    errors: ['request-gone', 'sign-in-ended', 'sign-in-moved-on'],
    trail: [
      'sign-in.let-in',
      'sign-in.refused',
      'sign-in.enrol-first',
      'sign-in.proof-failed',
      'authenticator.copied',
      'browser-session.started',
      'browser.remembered',
    ],
  }),
  'pages.enrol': route('pages.enrol', {
    summary:
      'Whether somebody who has nothing to go on with may enrol here and now, and until when they may put it off',
    access: open('for whoever began the sign-in, which the handle shows'),
    params: byId,
    body: z.strictObject({ request, handle: secretText(100) }),
    answer: z.strictObject({
      right: z.string().nullable().describe('To enrol with what was just proved; null where the rules do not let them'),
      grace: z
        .strictObject({
          until: instant,
          putOff: z.number().int().describe('How often it was put off so far'),
          mayPutOff: z.boolean(),
        })
        .nullable(),
    }),
    errors: ['request-gone'],
    trail: ['sign-in.let-in'],
  }),
  'pages.putOff': route('pages.putOff', {
    summary: 'Put enrolling off, in days of grace, and go on into the application',
    access: open('for whoever began the sign-in, which the handle shows'),
    params: byId,
    body: z.strictObject({ request, handle: secretText(100) }),
    answer: z.strictObject({ redirect: z.string() }),
    errors: ['request-gone', 'last-day'],
    trail: ['enrolment.put-off'],
  }),
  'pages.show': route('pages.show', {
    summary: 'Who is signed in in this browser, and which browsers are remembered',
    access: open('for whoever is signed in in this browser; to anybody else it says that nobody is'),
    answer: z.strictObject({
      organisation: z.string(),
      person: z.string().nullable(),
      session: session.nullable(),
      browsers: z.array(remembered),
    }),
    trail: READS,
  }),
  'pages.forget': route('pages.forget', {
    summary: 'Forget one of one’s own remembered browsers',
    access: open('for whoever is signed in in this browser'),
    params: byId,
    answer: nothing,
    errors: ['not-signed-in'],
    trail: ['browser.forgotten'],
  }),
  'pages.end': route('pages.end', {
    summary: 'Sign out in this browser, and go back to the application that asked for it',
    access: open('for whoever is signed in in this browser'),
    body: z.strictObject({ request: request.optional() }),
    answer: z.strictObject({ redirect: z.string().nullable() }),
    trail: ['browser-session.ended'],
  }),
  'browsers.list': route('browsers.list', {
    summary: 'Where a person is signed in by the sign-in pages, and the browsers that are remembered',
    access: operator('keyring.read', { person: 'id' }),
    params: byId,
    answer: z.strictObject({ sessions: z.array(session), browsers: z.array(remembered) }),
    trail: READS,
  }),
  'browsers.forget': route('browsers.forget', {
    summary: 'Forget a remembered browser of a person',
    access: operator('keyring.suspend', { person: 'id' }),
    params: z.strictObject({ id, browserId: id }),
    answer: nothing,
    trail: ['browser.forgotten'],
  }),
  'browsers.signOut': route('browsers.signOut', {
    summary: 'End every session of a person at the sign-in pages, and forget all their browsers',
    access: operator('keyring.suspend', { person: 'id' }),
    params: byId,
    answer: z.strictObject({ sessions: z.number().int(), browsers: z.number().int() }),
    trail: ['browser-session.ended', 'browser.forgotten'],
  }),
};
