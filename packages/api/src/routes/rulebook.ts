import {
  COVERAGES,
  FINDINGS,
  METHODS,
  NAME_KINDS,
  OPERATOR_REASONS,
  PROMPT_KINDS,
  ROLES,
  RULE_CONDITIONS,
  RULE_STANDINGS,
  RULEBOOK_PROBLEMS,
  STARTER_IDS,
  SYSTEMS,
  WEEKDAYS,
} from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { difference, id, instant, line, nothing, page, pageQuery, version } from '../schema.js';

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

const exception = z.strictObject({
  person: z.string().optional(),
  group: z.string().optional(),
  reason: z.string(),
  until: day,
});
const rule = z.strictObject({
  name: z.string(),
  state: z.discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('in-force') }),
    z.strictObject({ kind: z.literal('on-trial'), until: day }),
    z.strictObject({ kind: z.literal('resting') }),
  ]),
  conditions,
  except: z.array(
    exception.extend({
      instead: outcome.optional().describe('What holds for them; left out: what the rules below ask'),
    }),
  ),
  then: outcome,
  rememberDays: z.number().int(),
  oncePerSession: z.boolean(),
  grace: z.strictObject({ days: z.number().int(), lastDay: day }).optional(),
});
export type ShownRule = z.output<typeof rule>;

const outcomeTyped = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('let-in') }),
  z.strictObject({ kind: z.literal('refuse') }),
  z.strictObject({ kind: z.literal('ways'), ways: z.array(z.string().max(200)).min(1) }),
  z.strictObject({ kind: z.literal('level'), level: z.literal([1, 2, 3]) }),
  z.strictObject({ kind: z.literal('phishing-resistant') }),
  z.strictObject({ kind: z.literal('whoever-has-one'), ways: z.array(z.string().max(200)).min(1) }),
]);
const ruleTyped = rule.extend({
  except: z.array(exception.extend({ instead: outcomeTyped.optional() })),
  then: outcomeTyped,
});
const place = z.number().int().min(0).describe('Of a rule, from 0');
const edit = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('put'), at: place, rule: ruleTyped }),
  z.strictObject({ kind: z.literal('insert'), at: place, rule: ruleTyped }),
  z.strictObject({ kind: z.literal('remove'), at: place }),
  z.strictObject({ kind: z.literal('move'), at: place, to: place }),
  z.strictObject({ kind: z.literal('otherwise'), outcome: outcomeTyped }),
]);

const facts = z.record(z.string(), z.union([z.string(), z.number()]));

const read = z
  .strictObject({ rules: z.array(rule), otherwise: outcome })
  .nullable()
  .describe('Null where there are problems');
const checked = {
  problems: z.array(
    z.strictObject({ line: z.number().int(), column: z.number().int(), what: z.enum(RULEBOOK_PROBLEMS), facts }),
  ),
  rulebook: read,
  findings: z.array(
    z.strictObject({
      what: z.enum(FINDINGS),
      rule: z.string().nullable().describe('The name of the rule; null for what is said of the whole'),
      kind: z.enum(NAME_KINDS).optional(),
      facts,
    }),
  ),
};
const text = z.string().max(LIMITS.rulebookChars);
const number = z.number().int().describe('Of the version; 0 for what is in force before anybody has published');
const somebody = z.strictObject({ id, displayName: z.string().nullable() }).nullable();

const versionRow = z.strictObject({
  number,
  message: z.string(),
  publishedBy: somebody,
  publishedAt: instant.nullable(),
  lockedOut: z.number().int().describe('People whom it was said to lock out when it was published'),
});
const versionShown = versionRow.extend({ text, rulebook: read.unwrap() });
const draft = z.strictObject({
  begun: z.boolean().describe('False: there is none, and the text is that of the version in force'),
  text,
  basedOn: number,
  changedBy: somebody,
  changedAt: instant.nullable(),
  version,
});

const least = z.strictObject({
  way: z.string().describe('As the rulebook writes it: `password + totp`'),
  grace: z.boolean().describe('Only in days of grace'),
  rememberedDays: z.number().int().describe('Days for which a browser may be remembered'),
});
/** Where somebody would need less than today. */
const eased = z.strictObject({
  application: z.string(),
  networks: z
    .array(z.string().nullable())
    .describe('From where: names of networks, null for anywhere else; empty for from wherever they come'),
  before: least.nullable().describe('The least that lets them in today; null where nothing does'),
  after: least,
});
export const affectedPerson = z.strictObject({
  id,
  displayName: z.string(),
  lockedOut: z.array(z.string()).describe('Applications where they get in today and no longer would'),
  eased: z.array(eased),
});
export type AffectedPerson = z.output<typeof affectedPerson>;
/** One difference by what it means; places count rules from 0. */
const change = z.strictObject({
  what: z.enum(['added', 'removed', 'changed', 'renamed', 'moved', 'otherwise']),
  before: rule.nullable().describe('The rule as it was'),
  after: rule.nullable().describe('The rule as it would be'),
  otherwise: z
    .strictObject({ before: outcome, after: outcome })
    .nullable()
    .describe('Of what holds where no rule applies'),
  from: z.number().int().nullable(),
  to: z.number().int().nullable(),
});
export type ShownChange = z.output<typeof change>;
export const AFFECTED = ['locked-out', 'eased'] as const;

const authenticator = z.strictObject({ id, method: z.enum(METHODS), label: z.string() });
const explanation = z.strictObject({
  person: z.strictObject({ id, displayName: z.string().nullable() }),
  application: z.strictObject({ id, name: z.string().nullable() }),
  at: instant,
  sourceAddress: z.string().nullable(),
  networks: z.array(z.string()).describe('Networks that the address lies in'),
  version: number,
  rules: z.array(
    z.strictObject({
      rule,
      standing: z.enum(RULE_STANDINGS),
      conditions: z.array(z.strictObject({ kind: z.enum(RULE_CONDITIONS), holds: z.boolean() })),
      exception: z
        .strictObject({ name: z.string(), reason: z.string(), until: day })
        .nullable()
        .describe('What leaves the person out'),
    }),
  ),
  decidedBy: z.string().nullable().describe('The rule that decides; null for *otherwise*'),
  trial: z.string().nullable().describe('The rule on trial that would have decided instead'),
  barred: z.array(z.enum(METHODS)).describe('What the method settings keep the person from using here'),
  outcome,
  ways: z.array(
    z.strictObject({
      ...wayShown.shape,
      servedBy: z.array(authenticator).nullable().describe('What on the keyring serves it; null where nothing does'),
    }),
  ),
  meets: z.strictObject({
    state: z.enum(['let-in', 'refused', 'enrol-first']),
    asks: z.array(z.enum(PROMPT_KINDS)),
    way: z.string().nullable().describe('What gets them in: `password + totp`; null where they do not get in'),
    reason: z.enum(OPERATOR_REASONS).nullable(),
  }),
});
export type Explanation = z.output<typeof explanation>;

export const rulebookRoutes = {
  'rulebook.show': route('rulebook.show', {
    summary: 'The rulebook in force, and which version each node runs',
    access: operator('rulebook.read'),
    answer: versionShown.extend({
      nodes: z.array(z.strictObject({ host: z.string(), version: number.nullable(), seenAt: instant })),
      draft: z.boolean().describe('Whether a draft is begun'),
    }),
    trail: READS,
  }),
  'rulebook.check': route('rulebook.check', {
    summary:
      'Read a rulebook’s text without keeping it: what is wrong with it, by line and column, or its rules and what was probably not meant',
    access: operator('rulebook.write'),
    body: z.strictObject({ text }),
    bodyBytes: LIMITS.rulebookBytes,
    answer: z.strictObject(checked),
    trail: { none: 'nothing of the text is kept, so nothing has happened' },
  }),
  'rulebook.edit': route('rulebook.edit', {
    summary:
      'Change one rule of a text without keeping it; what is not changed stays as it was typed, with its comments and order',
    access: operator('rulebook.write'),
    body: z.strictObject({ text, edit }),
    bodyBytes: LIMITS.rulebookBytes,
    answer: z.strictObject({ ...checked, text }),
    trail: { none: 'nothing of the text is kept, so nothing has happened' },
  }),
  'rulebook.schema': route('rulebook.schema', {
    summary:
      'The JSON Schema (2020-12) of a rulebook’s text, for editors that help while one types; `x-names` says what a name is of',
    access: operator('rulebook.read'),
    answer: z.strictObject({ schema: z.record(z.string(), z.unknown()) }),
    trail: READS,
  }),
  'rulebook.starters': route('rulebook.starters', {
    summary: 'Rulebooks to begin with, each named by its goal',
    access: operator('rulebook.read'),
    answer: z.strictObject({ rows: z.array(z.strictObject({ name: z.enum(STARTER_IDS), text })) }),
    trail: READS,
  }),
  'rulebook.versions': route('rulebook.versions', {
    summary: 'Published versions, the latest first',
    access: operator('rulebook.read'),
    query: z.strictObject(pageQuery),
    answer: page(versionRow),
    trail: READS,
  }),
  'rulebook.version': route('rulebook.version', {
    summary: 'One published version; saving its text as the draft brings it back',
    access: operator('rulebook.read'),
    params: z.strictObject({ number: z.coerce.number().int().min(0) }),
    answer: versionShown,
    trail: READS,
  }),
  'rulebook.graces': route('rulebook.graces', {
    summary: 'Who gets in without a usable authenticator by days of grace, by name, and until when',
    access: operator('activity.read'),
    query: z.strictObject(pageQuery),
    answer: page(
      z.strictObject({
        person: z.strictObject({ id, displayName: z.string() }),
        rule: z.string(),
        begunAt: instant,
        until: instant,
        over: z.boolean(),
        putOff: z.number().int().describe('How often they put enrolling off at our pages'),
        coverage: z.enum(COVERAGES).describe('What covers them now'),
      }),
    ),
    trail: READS,
  }),
  'rulebookDraft.show': route('rulebookDraft.show', {
    summary: 'The draft; where none is begun, the version in force to begin from',
    access: operator('rulebook.read'),
    answer: draft,
    etag: 'answers',
    trail: READS,
  }),
  'rulebookDraft.save': route('rulebookDraft.save', {
    summary: 'Keep a draft, also one whose text is not right yet; nothing of it is in force',
    access: operator('rulebook.write'),
    body: z.strictObject({ text }),
    bodyBytes: LIMITS.rulebookBytes,
    answer: draft,
    etag: 'requires',
    errors: ['changed-meanwhile', 'if-match-needed'],
    trail: ['rulebook.draft-saved'],
  }),
  'rulebookDraft.discard': route('rulebookDraft.discard', {
    summary: 'Drop the draft',
    access: operator('rulebook.write'),
    answer: nothing,
    errors: ['draft-missing'],
    trail: ['rulebook.draft-discarded'],
  }),
  'rulebookDraft.review': route('rulebookDraft.review', {
    summary: 'What the draft changes, what was probably not meant, and whom it would lock out who gets in today',
    access: operator('rulebook.write'),
    answer: z.strictObject({
      ...checked,
      changes: z.array(change).describe('Against the version in force, rule by rule, by what each means'),
      difference: difference.describe('The same as text: changed lines with those around them'),
      lockedOut: z.strictObject({
        people: z.number().int(),
        named: z
          .array(z.strictObject({ id, displayName: z.string(), applications: z.array(z.string()) }))
          .describe('The first of them, with where they would no longer get in'),
        examined: z.number().int().describe('Active people who were looked at'),
        of: z.number().int().describe('Active people'),
      }),
      loosened: z.strictObject({
        people: z.number().int().describe('Of those examined, who would need less somewhere than today'),
        named: z.array(affectedPerson.omit({ lockedOut: true })).describe('The first of them'),
      }),
      version: number.describe('The number that it would get'),
    }),
    errors: ['draft-missing'],
    trail: READS,
  }),
  'rulebookDraft.people': route('rulebookDraft.people', {
    summary: 'Everybody whom the draft would lock out somewhere, or who would need less than today, by name',
    access: operator('rulebook.write'),
    query: z.strictObject({ ...pageQuery, only: z.enum(AFFECTED).optional() }),
    answer: page(affectedPerson),
    errors: ['draft-missing', 'draft-unsound'],
    trail: READS,
  }),
  'rulebook.publish': route('rulebook.publish', {
    summary: 'Put the draft in force as a new version; every node follows within three seconds',
    access: operator('rulebook.write'),
    body: z.strictObject({
      message: line(LIMITS.messageChars).describe('What changes, and why'),
      lockedOut: z
        .number()
        .int()
        .min(0)
        .describe('How many people the review said it locks out; with another number nothing is done'),
      loosened: z
        .number()
        .int()
        .min(0)
        .optional()
        .describe('How many people the review said need less; where it is said and another, nothing is done'),
    }),
    answer: versionShown,
    status: 201,
    errors: ['draft-missing', 'draft-unsound', 'count-changed', 'signature-needed'],
    idempotent: true,
    freshProof: true,
    trail: ['rulebook.published'],
  }),
  'people.explain': route('people.explain', {
    summary: 'Why somebody meets at an application what they meet: every rule with each of its conditions',
    access: operator('activity.read', { person: 'id' }),
    params: z.strictObject({ id }),
    query: z.strictObject({
      application: id,
      sourceAddress: z.union([z.ipv4(), z.ipv6()]).optional(),
      browser: line(400).optional().describe('Its User-Agent'),
      risk: z.coerce.number().min(0).max(1).optional(),
      at: instant.optional().describe('Left out: now'),
      draft: z.enum(['true', 'false']).optional().describe('By the draft instead of the version in force'),
    }),
    answer: explanation,
    errors: ['draft-missing', 'draft-unsound'],
    trail: READS,
  }),
  'activity.explain': route('activity.explain', {
    summary: 'Why a past sign-in met what it met, and what it would meet now',
    access: operator('activity.read', { signIn: 'id' }),
    params: z.strictObject({ id }),
    answer: z.strictObject({
      then: explanation.describe(
        'By the version that decided, with what was known at the time; the keyring as it is now',
      ),
      now: explanation,
    }),
    trail: READS,
  }),
};
