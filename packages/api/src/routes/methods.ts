import {
  KEY_ALGORITHMS,
  METHOD_PURPOSES,
  METHODS,
  OTP_ALGORITHMS,
  WHY_NOT_OFFERED,
} from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { id, line, version, sixteenBytes } from '../schema.js';

const common = {
  enrol: z.boolean().describe('Whether more of it may be enrolled'),
  purposes: z
    .array(z.enum(METHOD_PURPOSES))
    .max(METHOD_PURPOSES.length)
    .describe('What it may be used for; empty for nothing'),
};
const passwordCell = z.strictObject({
  ...common,
  checked: z.enum(['here', 'elsewhere']).default('here').describe('elsewhere: applications check it and say so'),
  parameters: z
    .strictObject({
      leastLength: z.number().int().min(8).max(64).describe('Characters of a new password at least; 12 unless said'),
    })
    .partial()
    .optional(),
});
const checking = {
  pin: z.literal('required').describe('A PIN before each code; whoever has none sets one when they next sign in'),
  leastPin: z.number().int().min(4).max(12).describe('Digits of a new PIN at least; 4 unless said'),
};
const totpCell = z.strictObject({
  ...common,
  parameters: z
    .strictObject({
      algorithm: z.enum(OTP_ALGORITHMS),
      digits: z.literal([6, 8]),
      period: z.literal([30, 60]).describe('Seconds'),
      codesToProve: z.literal([1, 2]),
      window: z.number().int().min(0).max(10).describe('Steps accepted before and after now'),
      ...checking,
    })
    .partial()
    .optional()
    .describe('What is left out is as the settings have it for everybody'),
});

const hotpCell = z.strictObject({
  ...common,
  parameters: z
    .strictObject({
      lookAhead: z
        .number()
        .int()
        .min(3)
        .max(100)
        .describe('Codes that may have been pressed for nothing; 10 unless said'),
      ...checking,
    })
    .partial()
    .optional(),
});

const models = z
  .array(z.strictObject({ aaguid: sixteenBytes, name: line(LIMITS.labelChars).optional() }))
  .min(1)
  .max(LIMITS.modelsNamed);
const webauthnCell = z.strictObject({
  ...common,
  parameters: z
    .strictObject({
      counter: z
        .literal('flag')
        .describe('A counter that does not go on, as of a copy, is only flagged; it is refused unless said'),
      attestation: z
        .enum(['asked', 'required'])
        .describe('Whether new keys show who made them; required: it has to lead to whom the installation trusts'),
      onlyModels: models.describe('Of these models alone; needs attestation required'),
      noModels: models.describe('Of none of these models; as sure as the attestation is'),
      verification: z
        .enum(['required', 'discouraged'])
        .describe('Of the holder, by a PIN or a finger; otherwise where keys can, and as the rules ask'),
      discoverable: z
        .enum(['required', 'discouraged'])
        .describe('Whether keys keep in themselves whose they are, to be used without a name'),
      attachment: z.enum(['platform', 'cross-platform']).describe('Part of the device alone, or apart from it alone'),
      deviceBound: z.literal('required').describe('No keys that are copied to other devices of their holder'),
      algorithms: z.array(z.enum(KEY_ALGORITHMS)).min(1).max(KEY_ALGORITHMS.length).describe('All unless said'),
      shouldHold: z
        .number()
        .int()
        .min(2)
        .max(5)
        .describe('Keys that somebody should hold; told in coverage, never refused'),
    })
    .partial()
    .optional(),
});

/** What is said of each method. */
export const methodCells = z
  .strictObject({ password: passwordCell, totp: totpCell, hotp: hotpCell, webauthn: webauthnCell })
  .partial()
  .describe('A method that is left out is decided by a row below');

const row = z.strictObject({
  group: id.nullable().describe('Null for everybody'),
  cells: methodCells,
});

/** The matrix of groups and methods; the first row from the top that somebody is in and that speaks of a method decides. */
export const methodRows = z.array(row).min(1).max(LIMITS.methodRows);

const shown = z.strictObject({
  rows: z.array(z.strictObject({ ...row.shape, groupName: z.string().nullable() })),
  version,
});

const lockOuts = z.strictObject({
  people: z.number().int().describe('Who gets in somewhere now, and could not any more'),
  named: z.array(z.strictObject({ id, displayName: z.string(), applications: z.array(z.string()) })),
  examined: z.number().int(),
  of: z.number().int(),
});

export const methodRoutes = {
  'methods.show': route('methods.show', {
    summary: 'Which methods may be enrolled and used, by group',
    access: operator('setting.read'),
    answer: shown,
    etag: 'answers',
    trail: READS,
  }),
  'methods.review': route('methods.review', {
    summary: 'Whom other method settings would lock out',
    access: operator('setting.write'),
    body: z.strictObject({ rows: methodRows }),
    answer: lockOuts,
    trail: { none: 'looks only; nothing is changed' },
  }),
  'methods.edit': route('methods.edit', {
    summary: 'Replace the method settings; every node follows within seconds',
    access: operator('setting.write'),
    body: z.strictObject({
      rows: methodRows,
      lockedOut: z.number().int().min(0).describe('As reviewed; another number does nothing'),
    }),
    answer: shown,
    etag: 'requires',
    errors: ['changed-meanwhile', 'if-match-needed', 'count-changed', 'signature-needed'],
    freshProof: true,
    trail: ['methods.changed'],
  }),
  'people.methods': route('people.methods', {
    summary: 'Which methods a person may enrol and use, and why not the others',
    access: operator('keyring.read', { person: 'id' }),
    params: z.strictObject({ id }),
    answer: z.strictObject({
      rows: z.array(
        z.strictObject({
          method: z.enum(METHODS),
          enrol: z.boolean(),
          purposes: z.array(z.enum(METHOD_PURPOSES)),
          why: z.enum(WHY_NOT_OFFERED).nullable().describe('Why it may not be enrolled; null where it may'),
          row: z.number().int().nullable().describe('The row that decides, from 0'),
          group: z.string().nullable().describe('Its group; null for everybody, or where no row decides'),
          held: z.number().int().describe('How many active ones they hold'),
        }),
      ),
    }),
    trail: READS,
  }),
};
