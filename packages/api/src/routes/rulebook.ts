import { FINDINGS, NAME_KINDS, ROLES, RULEBOOK_PROBLEMS, SYSTEMS, WEEKDAYS } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, route } from '../contract.js';
import { LIMITS } from '../limits.js';

const namesOf = <T extends z.ZodType>(one: T) =>
  z.strictObject({ not: z.boolean().describe('None of these, instead of one of these'), names: z.array(one) });
const names = namesOf(z.string());
const day = z.iso.date();

const conditions = z.strictObject({
  groups: names.optional(),
  roles: namesOf(z.enum(ROLES)).optional(),
  people: names.optional(),
  applications: names.optional(),
  networks: names.optional(),
  countries: names.optional(),
  cities: names.optional(),
  times: z
    .strictObject({
      days: z.array(z.enum(WEEKDAYS)),
      from: z.number().int().optional().describe('Minutes since midnight'),
      to: z.number().int().optional().describe('Not included; before `from` over midnight'),
      zone: z.string().describe('An IANA zone, or `person`'),
    })
    .optional(),
  riskAtLeast: z.number().optional(),
  browser: z.enum(['new', 'remembered']).optional(),
  lastProofOlderThan: z.number().int().optional().describe('Minutes'),
  systems: namesOf(z.enum(SYSTEMS)).optional(),
});

const wayShown = z.strictObject({
  way: z.string(),
  level: z.number().int().describe('Assurance level, docs/rulebook.md'),
  phishingResistant: z.boolean(),
  restricted: z.boolean(),
  lastResort: z.boolean(),
});

const outcome = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('let-in') }),
  z.strictObject({ kind: z.literal('refuse') }),
  z.strictObject({ kind: z.literal('ways'), ways: z.array(wayShown) }),
  z.strictObject({ kind: z.literal('level'), level: z.number().int() }),
  z.strictObject({ kind: z.literal('phishing-resistant') }),
  z.strictObject({ kind: z.literal('whoever-has-one'), ways: z.array(wayShown) }),
]);

const rule = z.strictObject({
  name: z.string(),
  state: z.discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('in-force') }),
    z.strictObject({ kind: z.literal('on-trial'), until: day }),
    z.strictObject({ kind: z.literal('resting') }),
  ]),
  conditions,
  except: z.array(
    z.strictObject({ person: z.string().optional(), group: z.string().optional(), reason: z.string(), until: day }),
  ),
  then: outcome,
  rememberDays: z.number().int(),
  oncePerSession: z.boolean(),
  grace: z.strictObject({ days: z.number().int(), lastDay: day }).optional(),
});
export type ShownRule = z.output<typeof rule>;

const facts = z.record(z.string(), z.union([z.string(), z.number()]));

export const rulebookRoutes = {
  'rulebook.check': route('rulebook.check', {
    summary:
      'Read a rulebook’s text without keeping it: what is wrong with it, by line and column, or its rules and what was probably not meant',
    access: operator('rulebook.write'),
    body: z.strictObject({ text: z.string().max(LIMITS.rulebookChars) }),
    bodyBytes: LIMITS.rulebookBytes,
    answer: z.strictObject({
      problems: z.array(
        z.strictObject({ line: z.number().int(), column: z.number().int(), what: z.enum(RULEBOOK_PROBLEMS), facts }),
      ),
      rulebook: z
        .strictObject({ rules: z.array(rule), otherwise: outcome })
        .nullable()
        .describe('Null where there are problems'),
      findings: z.array(
        z.strictObject({
          what: z.enum(FINDINGS),
          rule: z.string().describe('The name of the rule'),
          kind: z.enum(NAME_KINDS).optional(),
          facts,
        }),
      ),
    }),
    trail: { none: 'nothing of the text is kept, so nothing has happened' },
  }),
};
