import { FOUND_BY_BEGINNING, idRange, PERMISSIONS, ROLES } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { open, operator, READS, route, self } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import type { RouteId } from '../paths.js';
import { rpId } from './relying-party.js';
import { endedAccess, id, instant, line, nothing, secretText } from '../schema.js';

const accessToken = z.strictObject({
  id,
  label: z.string(),
  personId: id,
  hint: z.string(),
  createdAt: instant,
  expiresAt: instant,
  lastUsedAt: instant.nullable(),
  permissions: z
    .array(z.enum(PERMISSIONS))
    .nullable()
    .describe('What it may do at most; null for all that its person may'),
});

const linkSecret = secretText(100).describe('What stands behind # in the link');

const callsThatMay = z.array(z.string() as unknown as z.ZodType<RouteId>);

export const accessRoutes = {
  'people.calls': route('people.calls', {
    summary: 'Which calls whoever asks may make about this person: what they may not need not be offered',
    access: operator('person.read', { person: 'id' }),
    params: z.strictObject({ id }),
    answer: z.strictObject({ calls: callsThatMay }),
    trail: READS,
  }),
  'session.show': route('session.show', {
    summary: 'Who is signed in, with what rights',
    access: self,
    answer: z.strictObject({
      person: z.strictObject({
        id,
        displayName: z.string(),
        loginName: z.string(),
        timeZone: z.string(),
        language: z.string(),
      }),
      roles: z.array(z.enum(ROLES)),
      permissions: z.array(z.enum(PERMISSIONS)),
      calls: callsThatMay.describe('Calls that they may make: about everybody, or about whomever they reach'),
      limited: z.boolean().describe('Every right ends at the groups that the roles are limited to'),
      by: z.enum(['console', 'access-token']),
      csrf: z.string().nullable().describe('For the header `x-nlatch-csrf` of calls that change something'),
      provedAt: instant,
      expiresAt: instant,
      hasPassword: z.boolean(),
      hasFactor: z.boolean(),
      passwordFree: z
        .boolean()
        .describe('The own password may be set without the old one: this session came by an owner link'),
    }),
    trail: READS,
  }),
  'session.end': route('session.end', {
    summary: 'Sign out; ends the session or the access token that is used',
    access: self,
    answer: nothing,
    trail: ['session.ended', 'access-token.revoked'],
  }),
  'ids.find': route('ids.find', {
    summary: 'Find out the whole id of something of somebody’s from its beginning',
    access: operator('person.read', 'within'),
    query: z.strictObject({
      of: z.enum(FOUND_BY_BEGINNING).describe('A pass is an authenticator'),
      begins: z
        .string()
        .max(36)
        .refine((text) => idRange(text) !== undefined, { error: hint('id-beginning') })
        .describe('At least eight hexadecimal digits, with hyphens as in an id or without'),
    }),
    answer: z.strictObject({
      ids: z.array(id).max(2).describe('One; none where nothing begins so; two where more than one does'),
    }),
    trail: READS,
  }),
  'session.setPassword': route('session.setPassword', {
    summary: 'Change the own password; all other sessions end',
    access: self,
    body: z.strictObject({
      current: secretText(LIMITS.passwordChars).optional(),
      next: secretText(LIMITS.passwordChars),
    }),
    answer: z.strictObject({ ended: endedAccess }),
    errors: ['password-weak', 'password-wrong', 'throttled'],
    trail: ['password.set'],
  }),
  'links.inspect': route('links.inspect', {
    summary: 'What a link is for; does not use it up',
    access: open('whoever holds the link is let in by it'),
    body: z.strictObject({ secret: linkSecret }),
    answer: z.strictObject({
      kind: z.enum(['set-up', 'owner']),
      displayName: z.string().nullable().describe('Whom an owner link signs in'),
      expiresAt: instant,
      keys: z
        .strictObject({
          host: z.string(),
          choices: z.array(z.string()).describe('Domains that passkeys can be made for here, the narrowest first'),
        })
        .nullable()
        .describe('Of a set-up link: what is still open about passkeys'),
    }),
    errors: ['link-spent'],
    trail: { none: 'reads only; sent by POST so that the secret stands in no address' },
  }),
  'links.setUp': route('links.setUp', {
    summary: 'Use a set-up link: creates the first owner and signs them in',
    access: open('whoever holds the link is let in by it'),
    body: z.strictObject({
      secret: linkSecret,
      displayName: line(LIMITS.displayNameChars),
      loginName: secretText(LIMITS.loginNameChars * 2),
      password: secretText(LIMITS.passwordChars),
      rpId: rpId.optional().describe('What passkeys are made for; left out: the host of the service’s address'),
    }),
    answer: nothing,
    errors: ['link-spent', 'password-weak', 'login-name-taken'],
    trail: [
      'set-up.completed',
      'relying-party.changed',
      'person.added',
      'role.granted',
      'password.set',
      'session.started',
    ],
  }),
  'links.signIn': route('links.signIn', {
    summary: 'Use an owner link: signs that owner in',
    access: open('whoever holds the link is let in by it'),
    body: z.strictObject({ secret: linkSecret }),
    answer: nothing,
    errors: ['link-spent'],
    trail: ['owner-link.used', 'session.started'],
  }),
  'accessTokens.list': route('accessTokens.list', {
    summary: 'Access tokens that are in force',
    access: operator('access-token.all'),
    answer: z.strictObject({ rows: z.array(accessToken) }),
    trail: READS,
  }),
  'accessTokens.add': route('accessTokens.add', {
    summary:
      'Issue an access token for oneself; it is in this one answer and never again. One that is made with another can do no more, and ends with it',
    access: operator('access-token.own', 'within'),
    body: z.strictObject({
      label: line(LIMITS.labelChars),
      hours: z
        .number()
        .int()
        .min(1)
        .max(LIMITS.tokenHoursMost)
        .default(LIMITS.tokenHours)
        .describe('How long it lives; one that is made with another ends no later than that'),
      permissions: z
        .array(z.enum(PERMISSIONS))
        .min(1)
        .optional()
        .describe('What it may do at most, out of what the caller may; left out: all of that'),
    }),
    answer: z.strictObject({ accessToken, token: z.string() }),
    status: 201,
    idempotent: true,
    freshProof: true,
    trail: ['access-token.issued'],
  }),
  'accessTokens.revoke': route('accessTokens.revoke', {
    summary: 'End an access token at once',
    access: operator('access-token.all'),
    params: z.strictObject({ id }),
    answer: nothing,
    trail: ['access-token.revoked'],
  }),
};
