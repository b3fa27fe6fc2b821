import {
  CONSEQUENCES,
  PERMISSIONS,
  ROLES,
  SIGNATURE_STATES,
  SIGNED_ACTIONS,
  ALWAYS_SIGNED,
} from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route, self } from '../contract.js';
import { LIMITS } from '../limits.js';
import { difference, id, instant, line, nothing, page, pageQuery } from '../schema.js';

const holder = z.strictObject({
  person: z.strictObject({ id, displayName: z.string(), state: z.string() }),
  role: z.enum(ROLES),
  groups: z
    .array(z.strictObject({ id, name: z.string() }))
    .nullable()
    .describe('Groups that it is limited to; null where it is not limited'),
  grantedAt: instant,
  grantedBy: z.strictObject({ id, displayName: z.string().nullable() }).nullable(),
});

const signature = z.strictObject({
  id,
  action: z.enum([...SIGNED_ACTIONS, ...ALWAYS_SIGNED]),
  consequence: z.strictObject({
    what: z.enum(CONSEQUENCES),
    facts: z.record(z.string(), z.union([z.string(), z.number()])),
  }),
  person: z.strictObject({ id, displayName: z.string().nullable() }).nullable().describe('Whom it is about'),
  askedBy: z.strictObject({ id, displayName: z.string().nullable() }),
  state: z.enum(SIGNATURE_STATES),
  askedAt: instant,
  expiresAt: instant,
  ripeAt: instant.nullable().describe('When the asker may go on alone, while there is nobody else who could sign'),
  decidedBy: z.strictObject({ id, displayName: z.string().nullable() }).nullable(),
  decidedAt: instant.nullable(),
  reason: z.string().nullable(),
  mine: z.boolean().describe('The caller asked for it'),
  maySign: z.boolean().describe('The caller may give or refuse it'),
});

/** What whoever signs looks at beside the sentence: all of what they agree to. */
const signedPerson = z.strictObject({ id, displayName: z.string(), applications: z.array(z.string()) });
const signedMatter = z.strictObject({
  message: z.string().nullable().describe('What whoever asked says of it'),
  names: z.array(signedPerson).describe('Whom it concerns, with where they would no longer get in: the first of them'),
  listed: z.int().min(0).describe('How many of them `GET /countersignatures/{id}/people` lists'),
  unnamed: z.int().min(0).describe('How many more it concerns than are listed by name'),
  difference,
});

const byId = z.strictObject({ id });
const roleOf = z.strictObject({ id, role: z.enum(ROLES) });

export const roleRoutes = {
  'roles.table': route('roles.table', {
    summary: 'What each role may do, what is left of it within groups, and who holds it',
    access: operator('role.read'),
    answer: z.strictObject({
      roles: z.array(
        z.strictObject({
          role: z.enum(ROLES),
          permissions: z.array(z.enum(PERMISSIONS)),
          withinGroups: z
            .array(z.enum(PERMISSIONS))
            .nullable()
            .describe('What is left of it when limited to groups; null where it cannot be limited'),
        }),
      ),
      holders: z.array(holder),
      emergency: z.array(z.strictObject({ id, displayName: z.string(), lastSeenAt: instant.nullable() })),
    }),
    trail: READS,
  }),
  'roles.grant': route('roles.grant', {
    summary: 'Give somebody a role, or change the groups that it is limited to',
    access: operator('role.write', { person: 'id' }),
    params: roleOf,
    body: z.strictObject({
      groups: z
        .array(id)
        .min(1)
        .max(LIMITS.groupsPerRole)
        .nullable()
        .default(null)
        .describe('People in these groups, or in groups inside them; null for everybody'),
    }),
    answer: holder,
    errors: ['own-rights', 'role-not-limitable', 'last-owner', 'wrong-state', 'signature-needed'],
    freshProof: true,
    trail: ['role.granted'],
  }),
  'roles.revoke': route('roles.revoke', {
    summary: 'Take a role from somebody',
    access: operator('role.write', { person: 'id' }),
    params: roleOf,
    answer: nothing,
    errors: ['own-rights', 'last-owner', 'signature-needed'],
    freshProof: true,
    trail: ['role.revoked'],
  }),
  'people.markEmergency': route('people.markEmergency', {
    summary: 'Make somebody an emergency account, or an ordinary one again',
    access: operator('role.write', { person: 'id' }),
    params: byId,
    body: z.strictObject({ emergency: z.boolean() }),
    answer: nothing,
    errors: ['own-rights', 'signature-needed'],
    freshProof: true,
    trail: ['emergency-account.marked', 'emergency-account.unmarked'],
  }),
  'signatures.list': route('signatures.list', {
    summary: 'Requests for a countersignature that the caller made or could give, the latest first',
    access: self,
    query: z.strictObject({ ...pageQuery, waiting: z.stringbool().optional().describe('Only those that still wait') }),
    answer: page(signature),
    trail: READS,
  }),
  'signatures.show': route('signatures.show', {
    summary: 'One request for a countersignature, with all that whoever signs agrees to',
    access: self,
    params: byId,
    answer: z.strictObject({ ...signature.shape, matter: signedMatter }),
    trail: READS,
  }),
  'signatures.people': route('signatures.people', {
    summary: 'Everybody whom a countersignature concerns, by name',
    access: self,
    params: byId,
    query: z.strictObject(pageQuery),
    answer: page(signedPerson),
    trail: READS,
  }),
  'signatures.give': route('signatures.give', {
    summary: 'Countersign; whoever asked may then do it, once',
    access: self,
    params: byId,
    answer: signature,
    errors: ['not-yours-to-sign', 'signature-expired', 'wrong-state'],
    freshProof: true,
    trail: ['countersignature.given'],
  }),
  'signatures.refuse': route('signatures.refuse', {
    summary: 'Refuse to countersign',
    access: self,
    params: byId,
    body: z.strictObject({ reason: line(200) }),
    answer: signature,
    errors: ['not-yours-to-sign', 'signature-expired', 'wrong-state'],
    trail: ['countersignature.refused'],
  }),
  'signatures.withdraw': route('signatures.withdraw', {
    summary: 'Withdraw an own request',
    access: self,
    params: byId,
    answer: signature,
    errors: ['not-yours-to-sign', 'signature-expired', 'wrong-state'],
    trail: ['countersignature.withdrawn'],
  }),
};
