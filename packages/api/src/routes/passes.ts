import { PASS_ENDS, PASS_PURPOSES, PASS_STATES } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { endedAccess, id, instant, line, page, pageQuery, secretText } from '../schema.js';

const named = z.strictObject({ id, displayName: z.string() });

/** A pass as lists show it; what it is typed as is in one answer alone. */
export const pass = z.strictObject({
  id: id.describe('Also that of the authenticator on the keyring'),
  person: named,
  heldBy: named.nullable().describe('Who signs in with it in the name of its person; null where they do themselves'),
  purpose: z.enum(PASS_PURPOSES),
  state: z.enum(PASS_STATES),
  from: instant,
  until: instant,
  uses: z.number().int().describe('How often it was used'),
  usesMost: z.number().int(),
  onlyAt: z
    .array(z.strictObject({ id, name: z.string() }))
    .nullable()
    .describe('Applications at which alone it may be used; null for all'),
  untilFactor: z.boolean().describe('It ends by itself once its holder has a factor of their own in use again'),
  reason: z.string(),
  givenBy: named.nullable().describe('Null for somebody since deleted'),
  givenAt: instant,
  lastUsedAt: instant.nullable(),
  endedWhy: z.enum(PASS_ENDS).nullable(),
  endedAt: instant.nullable(),
});

const bounds = z.strictObject({
  hours: z.number().int().min(1).max(LIMITS.passHoursMost).describe('Longest life of a pass'),
  uses: z.number().int().min(1).max(LIMITS.passUsesMost).describe('Most uses of a pass'),
  open: z.number().int().min(0).max(10_000).describe('Most passes of one giver that have not ended'),
  perDay: z
    .number()
    .int()
    .min(0)
    .max(10_000)
    .describe('Most that one giver gives within 24 hours; the last of them makes the owners look'),
});

/** How far each role may go with passes. */
export const passBounds = z
  .strictObject({ owner: bounds, custodian: bounds, 'help-desk': bounds })
  .describe('Bounds of temporary passes by the role of whoever gives them');

/** As delivered: for a day by the help desk, a long weekend by custodians, a week by owners. */
export const FIRST_PASS_BOUNDS: z.output<typeof passBounds> = {
  owner: { hours: 168, uses: 50, open: 200, perDay: 200 },
  custodian: { hours: 96, uses: 20, open: 100, perDay: 100 },
  'help-desk': { hours: 24, uses: 10, open: 20, perDay: 30 },
};

/** What is said of any pass that is given. */
const wanted = {
  from: instant.optional().describe('Left out: from now on'),
  hours: z
    .number()
    .int()
    .min(1)
    .max(LIMITS.passHoursMost)
    .optional()
    .describe('How long it lives. Left out, and no end said: as long as the caller may, and 12 hours at most'),
  until: instant.optional().describe('When it ends, in place of how long it lives'),
  uses: z.number().int().min(1).max(LIMITS.passUsesMost).optional().describe('Left out: up to five'),
  applications: z
    .array(id)
    .min(1)
    .max(LIMITS.applicationsPerAuthenticator)
    .optional()
    .describe('At which alone it may be used; left out: wherever its purpose and the rulebook let it'),
  reason: line(LIMITS.passReasonChars).describe('Why, for whoever looks later'),
};

export const passRoutes = {
  'passes.list': route('passes.list', {
    summary: 'Temporary passes, the latest first',
    access: operator('keyring.read', 'within'),
    query: z.strictObject({
      ...pageQuery,
      state: z
        .enum(['held', ...PASS_STATES])
        .default('held')
        .describe('held: all that have not ended'),
      person: id.optional().describe('Of this person'),
      givenBy: id.optional().describe('Given by this administrator'),
    }),
    answer: page(pass),
    trail: READS,
  }),
  'passes.bounds': route('passes.bounds', {
    summary: 'How far the caller may go with passes, and what they have given',
    access: operator('pass.give', 'within'),
    answer: z.strictObject({ bounds, open: z.number().int(), today: z.number().int() }),
    trail: READS,
  }),
  'passes.give': route('passes.give', {
    summary: 'Give somebody a temporary pass; what they type is in this one answer and never again',
    access: operator('pass.give', { person: 'id' }),
    params: z.strictObject({ id }),
    body: z.strictObject({
      ...wanted,
      purpose: z.enum(PASS_PURPOSES).default('sign-in'),
      untilFactor: z.boolean().default(true),
    }),
    answer: z.strictObject({
      pass,
      code: z.string().describe('What is typed, in groups'),
      spelled: z.array(z.string()).describe('The same for reading aloud, a group each'),
    }),
    status: 201,
    errors: ['wrong-state', 'limit-reached', 'method-not-offered', 'passes-open', 'passes-today', 'signature-needed'],
    idempotent: true,
    freshProof: true,
    trail: ['pass.given'],
  }),
  'passes.delegate': route('passes.delegate', {
    summary:
      'Give a pass for somebody to somebody else, who signs in at applications in their name; its holder is shown a code when they have proved who they are, and nobody is here',
    access: operator('pass.give', { person: 'id' }),
    params: z.strictObject({ id }),
    body: z.strictObject({
      ...wanted,
      holder: secretText(LIMITS.loginNameChars * 2).describe('Login name of whoever holds it'),
    }),
    answer: z.strictObject({ pass }),
    status: 201,
    errors: ['wrong-state', 'limit-reached', 'method-not-offered', 'passes-open', 'passes-today', 'signature-needed'],
    idempotent: true,
    freshProof: true,
    trail: ['pass.given'],
  }),
  'passes.withdraw': route('passes.withdraw', {
    summary: 'End a pass; what its holder signed in with it ends as well',
    access: operator('pass.give', { authenticator: 'id' }),
    params: z.strictObject({ id }),
    answer: z.strictObject({ pass, ended: endedAccess.nullable() }),
    errors: ['wrong-state'],
    trail: ['pass.withdrawn'],
  }),
};
