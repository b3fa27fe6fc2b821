import { OFFERED_CONNECTIONS } from '@nimble-latch/core/connections/kinds';
import { CLAIMS, CONFIG_CHANGES, CONFIG_PARTS, SCOPES } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { origin } from './applications.js';
import { writtenParameters } from './connections/index.js';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { line } from '../schema.js';
import { settings } from './insight.js';
import { methodCells } from './methods.js';

const named = line(LIMITS.groupNameChars);
const words = z.union([z.literal(''), line(LIMITS.descriptionChars)]);

const connection = z.strictObject({
  label: line(LIMITS.labelChars).describe('By which it is known at its application'),
  kind: z.enum(OFFERED_CONNECTIONS),
  scopes: z.array(z.enum(SCOPES)).optional(),
  claims: z.array(z.enum(CLAIMS)).optional(),
  ...writtenParameters,
});

/** A configuration as text: everything that is set, nothing of people, keys or what happened. */
export const configurationFile = z.strictObject({
  form: z.literal(1).describe('The form that the file is written in'),
  settings: settings.optional(),
  networks: z
    .array(
      z.strictObject({
        name: line(LIMITS.networkNameChars),
        ranges: z.array(line(60)).min(1).max(LIMITS.rangesPerNetwork),
        country: z
          .string()
          .regex(/^[A-Z]{2}$/)
          .nullable()
          .optional(),
        city: line(LIMITS.networkNameChars).nullable().optional(),
        anonymising: z.boolean().optional(),
      }),
    )
    .max(LIMITS.networks)
    .optional(),
  groups: z
    .array(
      z.strictObject({
        name: named,
        description: words.optional(),
        parts: z.array(named).max(LIMITS.partsPerGroup).optional().describe('Groups inside it; parts are only added'),
      }),
    )
    .max(5_000)
    .optional(),
  applications: z
    .array(
      z.strictObject({
        name: line(LIMITS.applicationNameChars),
        description: words.optional(),
        origins: z
          .array(origin)
          .max(LIMITS.originsPerApplication)
          .optional()
          .describe('From which keys may answer for it'),
        connections: z.array(connection).max(LIMITS.connectionsPerApplication).optional(),
      }),
    )
    .max(1_000)
    .optional(),
  methods: z
    .array(z.strictObject({ group: named.nullable().describe('Null for everybody'), cells: methodCells }))
    .min(1)
    .max(LIMITS.methodRows)
    .optional()
    .describe('The whole matrix, from the top'),
  rulebook: z.string().max(LIMITS.rulebookChars).optional().describe('Its text; it becomes the draft'),
});

const step = z.strictObject({
  part: z.enum(CONFIG_PARTS),
  name: z.string(),
  change: z.enum(CONFIG_CHANGES),
  fields: z.array(z.string()).describe('What of it changes'),
});

const planned = z.strictObject({
  steps: z.array(step),
  lockedOut: z.number().int().describe('People whom the method settings of the file would lock out'),
  signature: z.boolean().describe('It needs a countersignature'),
});

const file = z.string().max(LIMITS.configurationChars).describe('YAML, as configuration.show gives it');

export const configurationRoutes = {
  'configuration.show': route('configuration.show', {
    summary: 'All configuration as one text: settings, networks, groups, applications, method settings, rulebook',
    access: operator('setting.read'),
    answer: z.string(),
    media: 'application/yaml; charset=utf-8',
    trail: READS,
  }),
  'configuration.plan': route('configuration.plan', {
    summary: 'What a file would change; everything is tried and taken back',
    access: operator('setting.write'),
    body: z.strictObject({ file }),
    bodyBytes: LIMITS.configurationBytes,
    answer: planned,
    errors: ['configuration-unsound', 'draft-in-the-way', 'name-taken', 'limit-reached', 'group-circle'],
    trail: { none: 'everything that it tries is taken back' },
  }),
  'configuration.apply': route('configuration.apply', {
    summary: 'Bring a configuration in, all of it or nothing; nothing is deleted, and the rulebook becomes the draft',
    access: operator('setting.write'),
    body: z.strictObject({
      file,
      lockedOut: z.number().int().min(0).describe('As planned; another number does nothing'),
    }),
    bodyBytes: LIMITS.configurationBytes,
    answer: planned,
    errors: [
      'configuration-unsound',
      'draft-in-the-way',
      'name-taken',
      'limit-reached',
      'group-circle',
      'count-changed',
      'changed-meanwhile',
      'signature-needed',
    ],
    freshProof: true,
    trail: [
      'configuration.applied',
      'setting.changed',
      'network.added',
      'network.changed',
      'group.added',
      'group.changed',
      'group.part-added',
      'application.added',
      'application.changed',
      'connection.added',
      'connection.changed',
      'methods.changed',
      'rulebook.draft-saved',
    ],
  }),
};
