import { isTimeZone, LANGUAGE_PATTERN, MAIL_MAX, MAIL_PATTERN, PHONE_PATTERN } from '@nimble-latch/core/fields';
import {
  BULK_KINDS,
  BULK_STATES,
  COVERAGES,
  LOGIN_NAME_KINDS,
  METHODS,
  PERSON_STATES,
  ROLES,
  SEEN,
  SOURCES,
} from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { endedAccess, id, instant, line, nothing, page, pageQuery, secretText, version, modelId } from '../schema.js';

export const loginName = z.strictObject({
  id,
  value: z.string().describe('As normalised'),
  kind: z.enum(LOGIN_NAME_KINDS),
  source: z.enum(SOURCES),
});

export const personRow = z.strictObject({
  id,
  displayName: z.string(),
  state: z.enum(PERSON_STATES),
  source: z.enum(SOURCES),
  coverage: z.enum(COVERAGES).describe('By the best of the active authenticators'),
  loginNames: z.array(z.string()),
  roles: z.array(z.enum(ROLES)),
  emergency: z.boolean().describe('An account for the day that everything else fails'),
  groups: z.array(z.string()).describe('Names of groups'),
  serials: z.array(z.string()).describe('Serial numbers of the carriers on their keyring'),
  methods: z.array(z.enum(METHODS)).describe('Methods of active authenticators'),
  lastSeenAt: instant.nullable().describe('When they last signed in somewhere, to some hours'),
  factors: z.number().int().describe('Active authenticators beside the password'),
  hasPassword: z.boolean(),
  lastProofAt: instant.nullable().describe('When something on the keyring was last proved'),
});

export const person = z.strictObject({
  id,
  displayName: z.string(),
  state: z.enum(PERSON_STATES),
  source: z.enum(SOURCES),
  mail: z.string().nullable(),
  phone: z.string().nullable(),
  language: z.string(),
  timeZone: z.string(),
  loginNames: z.array(loginName),
  groups: z
    .array(
      z.strictObject({
        id,
        name: z.string(),
        through: z
          .string()
          .nullable()
          .describe('The group through which they are in it; null where they are in it themselves'),
      }),
    )
    .describe('Groups they are in, themselves or through others'),
  roles: z.array(z.enum(ROLES)),
  emergency: z.boolean().describe('An account for the day that everything else fails'),
  createdAt: instant,
  updatedAt: instant,
  version,
});

const typedLoginName = secretText(LIMITS.loginNameChars * 2).describe('Normalised by the one rule of docs/concepts.md');
const mail = z.email({ pattern: MAIL_PATTERN, error: hint('mail') }).max(MAIL_MAX);
const phone = z
  .string()
  .trim()
  .regex(PHONE_PATTERN, { error: hint('phone') })
  .transform((typed) => `+${typed.replace(/\D/g, '')}`);
const language = z.string().regex(LANGUAGE_PATTERN, { error: hint('language') });
const timeZone = z
  .string()
  .max(60)
  .refine(isTimeZone, { error: hint('time-zone') });

const personFields = {
  displayName: line(LIMITS.displayNameChars),
  mail: mail.nullable(),
  phone: phone.nullable(),
  language,
  timeZone,
};

const byId = z.strictObject({ id });

export const group = z.strictObject({
  id,
  name: z.string(),
  description: z.string(),
  members: z.number().int().describe('People who are in it themselves'),
  createdAt: instant,
  version,
});

const groupRow = group.extend({ parts: z.number().int().describe('Groups that are directly part of it') });

const groupShown = group.extend({
  people: z.number().int().describe('People who are in it or in any group inside it, each counted once'),
  parts: z
    .array(
      z.strictObject({
        id,
        name: z.string(),
        people: z.number().int().describe('People that it brings, with what is inside it'),
        direct: z.boolean().describe('Part of this group itself, and not only of a part'),
      }),
    )
    .describe('Every group inside it'),
  partOf: z.array(z.strictObject({ id, name: z.string(), direct: z.boolean() })).describe('Every group around it'),
});

const groupFields = {
  name: line(LIMITS.groupNameChars),
  description: z.union([z.literal(''), line(LIMITS.descriptionChars)]),
};

/** What the list of people can be narrowed by. */
export const filter = {
  q: line(LIMITS.searchChars)
    .optional()
    .describe(
      'Beginning of a word of the name, of a login name or of a carrier’s serial number; or exactly a mail address or phone number',
    ),
  group: id.optional().describe('Who is in this group or in one inside it'),
  member: id.optional().describe('Who is in this group themselves'),
  state: z.enum(PERSON_STATES).optional(),
  source: z.enum(SOURCES).optional().describe('Where they came from'),
  coverage: z.enum(COVERAGES).optional().describe('How well their keyring covers them'),
  method: z.enum(METHODS).optional().describe('Who holds an active authenticator of this method'),
  model: modelId.optional().describe('Who holds a key of this model'),
  fewKeys: z
    .union([z.boolean(), z.stringbool()])
    .optional()
    .describe('Who holds a key, and fewer than the method settings want'),
  seen: z.enum(SEEN).optional().describe('How long ago they last signed in'),
};

const bulkChange = z.strictObject({
  id,
  kind: z.enum(BULK_KINDS),
  group: z.strictObject({ id, name: z.string() }).nullable(),
  state: z.enum(BULK_STATES),
  people: z.number().int().describe('People whom it was asked for'),
  passed: z.number().int().describe('People that it has come to so far'),
  changed: z.number().int().describe('People who were not so already, and are now'),
  undoes: id.nullable().describe('The change that this one takes back'),
  undoneBy: id.nullable().describe('The change that took this one back'),
  createdAt: instant,
  finishedAt: instant.nullable(),
});

const counts = z.record(z.string(), z.number().int());

export const peopleRoutes = {
  'people.list': route('people.list', {
    summary: 'People, by name, a page at a time',
    access: operator('person.read', 'within'),
    query: z.strictObject({
      ...pageQuery,
      ...filter,
      loginName: secretText(LIMITS.loginNameChars * 2)
        .optional()
        .describe('Exactly this login name'),
    }),
    answer: page(personRow),
    trail: READS,
  }),
  'people.counts': route('people.counts', {
    summary: 'How many people each filter leaves; above 20,000 people as of the last minute',
    access: operator('person.read', 'within'),
    answer: z.strictObject({
      people: z.number().int(),
      countedAt: instant,
      state: counts,
      source: counts,
      coverage: counts.describe('Of active people'),
      seen: counts,
      method: counts,
      group: counts.describe('By the id of the group, with those inside it'),
      member: counts.describe('By the id of the group, without those inside it'),
    }),
    trail: READS,
  }),
  'people.count': route('people.count', {
    summary: 'Exactly how many people meet a filter now',
    access: operator('person.read', 'within'),
    query: z.strictObject(filter),
    answer: z.strictObject({ people: z.number().int() }),
    trail: READS,
  }),
  'people.export': route('people.export', {
    summary: 'Everybody who meets a filter as CSV (RFC 4180), by name; that it was taken is on the trail',
    access: operator('person.read', 'within'),
    query: z.strictObject(filter),
    answer: z.string(),
    media: 'text/csv; charset=utf-8',
    trail: ['person.exported'],
  }),
  'people.add': route('people.add', {
    summary: 'Add a person',
    access: operator('person.write'),
    body: z.strictObject({
      displayName: personFields.displayName,
      loginNames: z
        .array(typedLoginName)
        .min(1, { error: hint('login-name-missing') })
        .max(LIMITS.loginNamesPerPerson),
      mail: personFields.mail.default(null),
      phone: personFields.phone.default(null),
      language: language.default('en'),
      timeZone: timeZone.default('UTC'),
    }),
    answer: person,
    status: 201,
    errors: ['login-name-taken'],
    idempotent: true,
    etag: 'answers',
    trail: ['person.added'],
  }),
  'people.show': route('people.show', {
    summary: 'One person',
    access: operator('person.read', { person: 'id' }),
    params: byId,
    answer: person,
    etag: 'answers',
    trail: READS,
  }),
  'people.edit': route('people.edit', {
    summary: 'Change a person; fields left out stay as they are',
    access: operator('person.write', { person: 'id' }),
    params: byId,
    body: z.strictObject(personFields).partial(),
    answer: person,
    etag: 'requires',
    errors: ['changed-meanwhile', 'if-match-needed'],
    trail: ['person.changed'],
  }),
  'people.deactivate': route('people.deactivate', {
    summary: 'Stop a person from signing in anywhere; the keyring stays',
    access: operator('person.write', { person: 'id' }),
    params: byId,
    answer: person,
    errors: ['wrong-state', 'last-owner', 'signature-needed'],
    freshProof: true,
    trail: ['person.deactivated'],
  }),
  'people.reactivate': route('people.reactivate', {
    summary: 'Let a deactivated person sign in again',
    access: operator('person.write', { person: 'id' }),
    params: byId,
    answer: person,
    errors: ['wrong-state', 'signature-needed'],
    trail: ['person.reactivated'],
  }),
  'people.delete': route('people.delete', {
    summary: 'Delete a person with keyring and contact data; the trail keeps an id that names nobody',
    access: operator('person.delete', { person: 'id' }),
    params: byId,
    answer: nothing,
    errors: ['last-owner', 'signature-needed'],
    freshProof: true,
    trail: ['person.deleted'],
  }),
  'people.setPassword': route('people.setPassword', {
    summary: 'Set a password for somebody',
    access: operator('password.set', { person: 'id' }),
    params: byId,
    body: z.strictObject({
      password: secretText(LIMITS.passwordChars),
      mustChange: z.boolean().default(false).describe('They have to choose another one when they next sign in'),
    }),
    answer: z.strictObject({ ended: endedAccess }),
    errors: ['password-weak', 'signature-needed', 'method-not-offered'],
    freshProof: true,
    trail: ['password.set'],
  }),
  'loginNames.add': route('loginNames.add', {
    summary: 'Give a person one more login name',
    access: operator('person.write', { person: 'id' }),
    params: byId,
    body: z.strictObject({ value: typedLoginName }),
    answer: person,
    status: 201,
    errors: ['login-name-taken', 'limit-reached'],
    idempotent: true,
    trail: ['login-name.added'],
  }),
  'loginNames.remove': route('loginNames.remove', {
    summary: 'Take a login name away; the last one stays',
    access: operator('person.write', { person: 'id' }),
    params: z.strictObject({ id, loginNameId: id }),
    answer: person,
    errors: ['last-login-name'],
    trail: ['login-name.removed'],
  }),
  'groups.list': route('groups.list', {
    summary: 'Groups, by name',
    access: operator('group.read', 'within'),
    query: z.strictObject({ ...pageQuery, q: line(LIMITS.searchChars).optional().describe('Beginning of a name') }),
    answer: page(groupRow),
    trail: READS,
  }),
  'groups.add': route('groups.add', {
    summary: 'Add a group',
    access: operator('group.write'),
    body: z.strictObject({ name: groupFields.name, description: groupFields.description.default('') }),
    answer: groupShown,
    status: 201,
    errors: ['name-taken'],
    idempotent: true,
    etag: 'answers',
    trail: ['group.added'],
  }),
  'groups.show': route('groups.show', {
    summary: 'One group; its members are `people.list` with `group`',
    access: operator('group.read', 'within'),
    params: byId,
    answer: groupShown,
    etag: 'answers',
    trail: READS,
  }),
  'groups.edit': route('groups.edit', {
    summary: 'Rename or describe a group',
    access: operator('group.write'),
    params: byId,
    body: z.strictObject(groupFields).partial(),
    answer: groupShown,
    etag: 'requires',
    errors: ['name-taken', 'changed-meanwhile', 'if-match-needed'],
    trail: ['group.changed'],
  }),
  'groups.delete': route('groups.delete', {
    summary: 'Delete a group; its members stay',
    access: operator('group.write'),
    params: byId,
    answer: nothing,
    errors: ['named-by-rule'],
    freshProof: true,
    trail: ['group.deleted'],
  }),
  'groups.join': route('groups.join', {
    summary: 'Put a person into a group; nothing happens if they are in it',
    access: operator('group.write', { person: 'personId' }),
    params: z.strictObject({ id, personId: id }),
    answer: nothing,
    errors: ['limit-reached'],
    trail: ['group.joined'],
  }),
  'groups.leave': route('groups.leave', {
    summary: 'Take a person out of a group; nothing happens if they are not in it',
    access: operator('group.write', { person: 'personId' }),
    params: z.strictObject({ id, personId: id }),
    answer: nothing,
    trail: ['group.left'],
  }),
  'groups.addPart': route('groups.addPart', {
    summary: 'Make a group part of another: its people, and those of its parts, count as people of both',
    access: operator('group.write'),
    params: z.strictObject({ id, partId: id }),
    answer: nothing,
    errors: ['group-circle', 'limit-reached'],
    trail: ['group.part-added'],
  }),
  'groups.removePart': route('groups.removePart', {
    summary: 'Take a group out of another',
    access: operator('group.write'),
    params: z.strictObject({ id, partId: id }),
    answer: nothing,
    trail: ['group.part-removed'],
  }),
  'bulkChanges.list': route('bulkChanges.list', {
    summary: 'Changes to many people, the latest first: those under way and the last that ended',
    access: operator('person.bulk'),
    query: z.strictObject({ limit: pageQuery.limit }),
    answer: page(bulkChange),
    trail: READS,
  }),
  'bulkChanges.begin': route('bulkChanges.begin', {
    summary: 'Change many people at once, as a job: put into a group, take out of it, deactivate, reactivate',
    access: operator('person.bulk'),
    body: z.strictObject({
      kind: z.enum(BULK_KINDS),
      group: id.optional().describe('For join and leave'),
      who: z.union([
        z.strictObject({ ids: z.array(id).min(1).max(LIMITS.bulkIds) }),
        z.strictObject({ filter: z.strictObject(filter) }),
      ]),
      expect: z.number().int().min(1).describe('How many people were counted; with another number nothing is done'),
    }),
    answer: bulkChange,
    status: 201,
    errors: ['count-changed'],
    idempotent: true,
    freshProof: true,
    trail: ['bulk-change.begun'],
  }),
  'bulkChanges.show': route('bulkChanges.show', {
    summary: 'One change to many people: how far it is, or what it did',
    access: operator('person.bulk'),
    params: byId,
    answer: bulkChange,
    trail: READS,
  }),
  'bulkChanges.undo': route('bulkChanges.undo', {
    summary: 'Take a change back, for exactly those whom it changed',
    access: operator('person.bulk'),
    params: byId,
    answer: bulkChange,
    status: 201,
    errors: ['wrong-state', 'count-changed'],
    trail: ['bulk-change.begun'],
  }),
};
