import { OFFERED_CONNECTIONS } from '@nimble-latch/core/connections/kinds';
import { CLAIMS, CONNECTION_KINDS, SCOPES } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { addedParameters, editedParameters, shownParameters } from './connections/index.js';
import { id, instant, line, nothing, page, pageQuery, version } from '../schema.js';

const connectionKey = z.strictObject({
  id,
  hint: z.string().describe('The beginning of the key, enough to recognise it'),
  createdAt: instant,
  expiresAt: instant.nullable(),
  lastUsedAt: instant.nullable(),
});

export const connection = z.strictObject({
  id,
  kind: z.enum(CONNECTION_KINDS),
  label: z.string(),
  scopes: z.array(z.enum(SCOPES)),
  claims: z.array(z.enum(CLAIMS)),
  ...shownParameters,
  keys: z.array(connectionKey),
  createdAt: instant,
  version,
});

const applicationShape = {
  id,
  name: z.string(),
  description: z.string(),
  createdAt: instant,
  version,
};
export const applicationRow = z.strictObject({ ...applicationShape, connections: z.number().int() });
export const application = z.strictObject({
  ...applicationShape,
  origins: z
    .array(
      z.strictObject({
        origin: z.string(),
        related: z.boolean().describe('Outside of the domain of the keys: named in the related origins document'),
      }),
    )
    .describe('Of its own pages, from which keys may answer'),
  connections: z.array(connection),
});

/** Holds a key in the clear, once. */
export const issuedKey = z.strictObject({
  connection,
  key: z
    .string()
    .nullable()
    .describe('Sent as `Authorization: Bearer <key>`, or as client secret; not shown again. Null for public clients'),
  keyId: id.nullable(),
  othersEndAt: instant.nullable().describe('When the keys before it stop working'),
});

const applicationFields = {
  name: line(LIMITS.applicationNameChars),
  description: z.union([z.literal(''), line(LIMITS.descriptionChars)]),
};
const connectionFields = {
  label: line(LIMITS.labelChars),
  scopes: z.array(z.enum(SCOPES)).max(SCOPES.length).transform(unique),
  claims: z.array(z.enum(CLAIMS)).max(CLAIMS.length).transform(unique),
};
function unique<T>(values: T[]): T[] {
  return [...new Set(values)];
}
export const origin = z
  .string()
  .max(LIMITS.originChars)
  .describe('Scheme, host, and the port where it is not the scheme’s own, such as https://berths.wexmoor.example');

const byId = z.strictObject({ id });

export const applicationRoutes = {
  'applications.list': route('applications.list', {
    summary: 'Applications, by name',
    access: operator('application.read', 'within'),
    query: z.strictObject({ ...pageQuery, q: line(LIMITS.searchChars).optional().describe('Beginning of a name') }),
    answer: page(applicationRow),
    trail: READS,
  }),
  'applications.add': route('applications.add', {
    summary: 'Register an application',
    access: operator('application.write'),
    body: z.strictObject({ name: applicationFields.name, description: applicationFields.description.default('') }),
    answer: application,
    status: 201,
    errors: ['name-taken'],
    idempotent: true,
    etag: 'answers',
    trail: ['application.added'],
  }),
  'applications.show': route('applications.show', {
    summary: 'One application with its connections',
    access: operator('application.read', 'within'),
    params: byId,
    answer: application,
    etag: 'answers',
    trail: READS,
  }),
  'applications.edit': route('applications.edit', {
    summary: 'Rename or describe an application',
    access: operator('application.write'),
    params: byId,
    body: z.strictObject(applicationFields).partial(),
    answer: application,
    etag: 'requires',
    errors: ['name-taken', 'changed-meanwhile', 'if-match-needed'],
    trail: ['application.changed'],
  }),
  'applications.setOrigins': route('applications.setOrigins', {
    summary: 'Say from which origins keys may answer for an application: those of its own pages, and of no other’s',
    access: operator('application.write'),
    params: byId,
    body: z.strictObject({ origins: z.array(origin).max(LIMITS.originsPerApplication) }),
    answer: application,
    etag: 'requires',
    errors: ['changed-meanwhile', 'if-match-needed'],
    freshProof: true,
    trail: ['application.changed'],
  }),
  'applications.delete': route('applications.delete', {
    summary: 'Delete an application with its connections and keys; its past sign-ins stay in the activity',
    access: operator('application.write'),
    params: byId,
    answer: nothing,
    freshProof: true,
    errors: ['named-by-rule'],
    trail: ['application.deleted'],
  }),
  'connections.add': route('connections.add', {
    summary: 'Connect an application; its first key is in this one answer and never again',
    access: operator('application.write'),
    params: byId,
    body: z.strictObject({
      kind: z.enum(OFFERED_CONNECTIONS).default('http'),
      label: connectionFields.label.optional().describe('Left out: the name of its kind'),
      scopes: connectionFields.scopes.optional().describe('Left out: check, where its kind has scopes'),
      claims: connectionFields.claims.default([]),
      ...addedParameters,
    }),
    answer: issuedKey,
    status: 201,
    errors: ['limit-reached'],
    idempotent: true,
    freshProof: true,
    trail: ['connection.added', 'connection-key.issued'],
  }),
  'connections.edit': route('connections.edit', {
    summary: 'Change what a connection may do and claim',
    access: operator('application.write'),
    params: byId,
    body: z.strictObject({ ...connectionFields, ...editedParameters }).partial(),
    answer: connection,
    etag: 'requires',
    errors: ['changed-meanwhile', 'if-match-needed'],
    freshProof: true,
    trail: ['connection.changed'],
  }),
  'connections.delete': route('connections.delete', {
    summary: 'Delete a connection; its keys stop working at once',
    access: operator('application.write'),
    params: byId,
    answer: nothing,
    freshProof: true,
    trail: ['connection.deleted'],
  }),
  'connectionKeys.issue': route('connectionKeys.issue', {
    summary: 'Issue a new key; the ones before it work on for the overlap',
    access: operator('application.write'),
    params: byId,
    body: z.strictObject({
      overlapHours: z.number().min(0).max(LIMITS.keyOverlapHoursMost).default(24),
    }),
    answer: issuedKey,
    status: 201,
    errors: ['limit-reached'],
    idempotent: true,
    freshProof: true,
    trail: ['connection-key.issued'],
  }),
  'connectionKeys.revoke': route('connectionKeys.revoke', {
    summary: 'End a key at once',
    access: operator('application.write'),
    params: z.strictObject({ id, keyId: id }),
    answer: connection,
    freshProof: true,
    trail: ['connection-key.revoked'],
  }),
};
