import { METADATA_PROBLEMS } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { id, instant, line, nothing, page, pageQuery, version, sixteenBytes, modelId } from '../schema.js';

const certificate = z.strictObject({
  subject: z.string(),
  fingerprint: z.string().describe('SHA-256, in hexadecimal with colons'),
  until: instant.describe('Its last moment'),
});

const keyModel = z.strictObject({
  id: modelId,
  aaguid: sixteenBytes.nullable().describe('Null for models of U2F, which have none'),
  name: z.string().nullable().describe('Null for one that the metadata do not name'),
  picture: z.string().nullable().describe('As a data address'),
  keys: z.number().int().describe('Keys of it that people hold'),
  people: z.number().int().describe('Whose they are: people.list with this model names them'),
  status: z.string().nullable().describe('The newest report of the metadata service, in its words'),
  statusSince: z.iso.date().nullable(),
  compromised: z.boolean().describe('Not to be relied on: no more of it is enrolled'),
  certified: z.string().nullable(),
});

const metadata = z.strictObject({
  root: certificate.nullable().describe('Whom blobs are believed from; null: none is taken'),
  address: z.string().nullable().describe('From where a new one is fetched every day'),
  number: z.number().int().nullable().describe('Of the blob that was read last'),
  nextUpdate: z.iso.date().nullable(),
  overdue: z.boolean().describe('The day by which another one should be out has passed'),
  entries: z.number().int().nullable(),
  passedOver: z.number().int().nullable().describe('Entries that could not be read, or are of another kind'),
  readAt: instant.nullable(),
  triedAt: instant.nullable(),
  problem: z
    .enum([...METADATA_PROBLEMS, 'unreachable'])
    .nullable()
    .describe('Why the last one was not taken'),
  version,
});

const pem = z.string().max(LIMITS.certificateChars);
const metadataProblems = ['metadata-refused', 'metadata-no-root'] as const;
const READ_TRAIL = ['key-metadata.read'] as const;

export const keyModelRoutes = {
  'keyModels.list': route('keyModels.list', {
    summary: 'Models of keys, by name: those that people hold, or all that the metadata name',
    access: operator('setting.read'),
    query: z.strictObject({
      ...pageQuery,
      q: line(LIMITS.searchChars).optional().describe('Part of a name'),
      all: z.stringbool().default(false).describe('Also models that nobody holds'),
    }),
    answer: page(keyModel),
    trail: READS,
  }),
  'keyMetadata.show': route('keyMetadata.show', {
    summary: 'Where metadata of key models come from, and what was read last',
    access: operator('setting.read'),
    answer: metadata,
    etag: 'answers',
    trail: READS,
  }),
  'keyMetadata.edit': route('keyMetadata.edit', {
    summary: 'Say whom metadata are believed from, and from where they are fetched',
    access: operator('setting.write'),
    body: z.strictObject({
      root: pem.nullable().optional().describe('A certificate in PEM; left out: as it is'),
      address: z
        .url({ protocol: /^https?$/, error: hint('metadata-address') })
        .max(LIMITS.addressChars)
        .nullable()
        .optional(),
    }),
    answer: metadata,
    etag: 'requires',
    errors: ['changed-meanwhile', 'if-match-needed'],
    freshProof: true,
    trail: ['key-metadata.changed'],
  }),
  'keyMetadata.read': route('keyMetadata.read', {
    summary: 'Read a metadata blob: signed, by whom it is believed from, and no older than the one before',
    access: operator('setting.write'),
    body: z.strictObject({ blob: z.string().max(LIMITS.metadataChars) }),
    bodyBytes: LIMITS.metadataChars + 1_000,
    answer: metadata,
    errors: metadataProblems,
    trail: READ_TRAIL,
  }),
  'keyMetadata.fetch': route('keyMetadata.fetch', {
    summary: 'Fetch a metadata blob now from where it comes every day',
    access: operator('setting.write'),
    answer: metadata,
    errors: [...metadataProblems, 'metadata-unreachable'],
    trail: READ_TRAIL,
  }),
  'attestationRoots.list': route('attestationRoots.list', {
    summary: 'Certificates of makers that are trusted beside what the metadata say',
    access: operator('setting.read'),
    answer: z.strictObject({ rows: z.array(z.strictObject({ id, name: z.string(), ...certificate.shape })) }),
    trail: READS,
  }),
  'attestationRoots.add': route('attestationRoots.add', {
    summary: 'Trust a maker’s certificate',
    access: operator('setting.write'),
    body: z.strictObject({ name: line(LIMITS.labelChars), certificate: pem }),
    answer: z.strictObject({ id, name: z.string(), ...certificate.shape }),
    status: 201,
    errors: ['name-taken', 'limit-reached'],
    freshProof: true,
    trail: ['attestation-root.added'],
  }),
  'attestationRoots.remove': route('attestationRoots.remove', {
    summary: 'Trust it no more; keys that are enrolled stay',
    access: operator('setting.write'),
    params: z.strictObject({ id }),
    answer: nothing,
    freshProof: true,
    trail: ['attestation-root.removed'],
  }),
};
