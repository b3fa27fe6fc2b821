import {
  COLUMN_MEANINGS,
  COMMA_RULES,
  IMPORT_KINDS,
  IMPORT_PROBLEMS,
  IMPORT_STATES,
  OTP_ALGORITHMS,
  OWNER_PARTS,
  ROW_CHANGES,
  ROW_REASONS,
  ROW_VERDICTS,
  SECRET_ENCODINGS,
  TOKEN_FILE_FORMS,
  TOKEN_PARAMETERS,
} from '@nimble-latch/core/vocabulary';
import { isTimeZone, LANGUAGE_PATTERN, OWNER_AS_PATTERN } from '@nimble-latch/core/fields';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { id, instant, line, nothing, page, pageQuery, version } from '../schema.js';

const byId = z.strictObject({ id });

/** Names for delimiters, since a tab can hardly be typed. */
export const DELIMITER_NAMES = ['comma', 'semicolon', 'tab', 'bar'] as const;

const meaning = z.enum(COLUMN_MEANINGS);

const rules = {
  country: z
    .string()
    .regex(/^[A-Z]{2}$/, { error: hint('country') })
    .nullable()
    .describe('ISO 3166-1 code of the country that numbers without a prefix belong to'),
  empty: z.enum(['keep', 'clear']).describe('Whether an empty cell leaves what is known, or clears it'),
  missing: z
    .enum(['keep', 'deactivate'])
    .describe('What happens to people whom an earlier file of the same mapping had and this one has not'),
  language: z
    .string()
    .regex(LANGUAGE_PATTERN, { error: hint('language') })
    .describe('Of new people, where the file says none'),
  timeZone: z
    .string()
    .max(60)
    .refine(isTimeZone, { error: hint('time-zone') })
    .describe('Of new people, where the file says none'),
  commas: z
    .enum(COMMA_RULES)
    .default('ask')
    .describe(
      'Whether a comma in a cell of login names or groups stands between two, or in one; such cells are refused unless said',
    ),
  whole: z
    .strictObject({
      kind: z.enum(['totp', 'hotp']).nullable(),
      algorithm: z.enum(OTP_ALGORITHMS).nullable(),
      digits: z.number().int().min(6).max(8).nullable(),
      period: z.number().int().min(15).max(120).nullable(),
    })
    .default({ kind: null, algorithm: null, digits: null, period: null })
    .describe('What every token of the file is; a cell that says otherwise is refused. Null is not said'),
  secrets: z.enum(SECRET_ENCODINGS).default('hex').describe('How secrets of tokens are written'),
  owners: z
    .strictObject({
      part: z.enum(OWNER_PARTS).describe('What of a cell counts'),
      as: z
        .string()
        .regex(OWNER_AS_PATTERN, { error: hint('owner-as') })
        .describe('The login name, with {name} in the place of that part'),
    })
    .default({ part: 'whole', as: '{name}' })
    .describe('How a file of tokens names their owners'),
};

const tally = z.strictObject({
  new: z.number().int(),
  changed: z.number().int(),
  returning: z.number().int(),
  unchanged: z.number().int(),
  missing: z.number().int(),
  refused: z.number().int(),
});

export const importSummary = z.strictObject({
  id,
  kind: z.enum(IMPORT_KINDS),
  state: z.enum(IMPORT_STATES),
  fileName: z.string(),
  bytes: z.number().int(),
  rows: z.number().int(),
  mapping: z.strictObject({ id, name: z.string() }).nullable(),
  counts: tally.nullable().describe('What the rows come to; null until checked'),
  progress: z.strictObject({ done: z.number().int(), total: z.number().int() }).describe('Rows of the present step'),
  problem: z.enum(IMPORT_PROBLEMS).nullable().describe('Why it rests where it is'),
  outcome: tally
    .extend({
      overtaken: z.number().int().describe('Rows passed over: what they concern had changed since the preview'),
    })
    .nullable()
    .describe('What was written so far; null until it is begun'),
  startedBy: z.strictObject({ id, name: z.string().nullable() }),
  createdAt: instant,
  finishedAt: instant.nullable(),
  keptUntil: instant,
  version,
});

/** Tokens that are alike. */
const makeup = z.strictObject({
  method: z.enum(['totp', 'hotp']),
  algorithm: z.enum(OTP_ALGORITHMS),
  digits: z.number().int(),
  period: z.number().int().nullable().describe('Seconds; null for counters'),
  counters: z
    .strictObject({ least: z.number().int(), most: z.number().int() })
    .nullable()
    .describe('The next ones, from the lowest to the highest; null for clocks'),
  assumed: z.array(z.enum(TOKEN_PARAMETERS)).describe('What of it the file does not say'),
  tokens: z.number().int(),
});

const importShown = importSummary.extend({
  encoding: z.string(),
  delimiter: z.enum(DELIMITER_NAMES),
  headed: z.boolean().describe('The first row names the columns'),
  columns: z.array(
    z.strictObject({ name: z.string(), meaning, samples: z.array(z.string()).describe('First cells that are filled') }),
  ),
  rules: z.strictObject(rules),
  newGroups: z.array(z.string()).describe('Groups that are not there yet and would be added'),
  unused: z.array(z.string()).describe('Columns that are not used: what stands in them is dropped'),
  comments: z.number().int().describe('Lines that were passed over as comments'),
  makeup: z.array(makeup).describe('What the new tokens are, the most first; at most 40 kinds of them'),
  cleared: z.number().int().describe('People of whom something known would be cleared, since its cell is empty'),
  clearedMost: z
    .number()
    .int()
    .describe('How many that may be unless a call says more: a tenth of the rows, at least 5'),
  dryRun: z.boolean().describe('It was checked only to be looked at, and is kept for an hour'),
  missingMost: z
    .number()
    .int()
    .describe(
      'How many may be deactivated unless a call says more: a tenth of those that the mapping brought, at least 5',
    ),
});

const rowShown = z.strictObject({
  line: z.number().int().nullable().describe('Line of the file; null for who is missing in it'),
  verdict: z.enum(ROW_VERDICTS),
  done: z.enum(['written', 'overtaken']).nullable(),
  id: id.nullable().describe('The person or group that it concerns, where there is one'),
  name: z.string().nullable(),
  changes: z.array(
    z.strictObject({ what: z.enum(ROW_CHANGES), from: z.string().nullable(), to: z.string().nullable() }),
  ),
  issues: z.array(
    z.strictObject({
      column: z.string().nullable().describe('Name of the column; null for the row as a whole'),
      reason: z.enum(ROW_REASONS),
      facts: z.record(z.string(), z.union([z.string(), z.number()])),
    }),
  ),
});

export const importRoutes = {
  'imports.list': route('imports.list', {
    summary: 'Imports, the latest first',
    access: operator('person.import'),
    query: z.strictObject(pageQuery),
    answer: page(importSummary),
    trail: READS,
  }),
  'imports.receive': route('imports.receive', {
    summary: 'Send a CSV file; it is staged and its columns are guessed, nothing else happens yet',
    access: operator('person.import'),
    query: z.strictObject({
      kind: z.enum(IMPORT_KINDS),
      form: z
        .enum(TOKEN_FILE_FORMS)
        .optional()
        .describe(
          'Of files of tokens: a table, a key container (RFC 6030), or key URIs one a line; told from the file unless said. What opens an encrypted one comes in the header nlatch-file-key: `passphrase <base64url>` or `key <hexadecimal>`; a certificate of ours needs none. The certificate of whoever signed it comes as base64url in nlatch-file-signer',
        ),
      fileName: line(LIMITS.fileNameChars).describe('For people to know it by'),
      mapping: id.optional().describe('A saved mapping that says what the columns mean'),
      delimiter: z.enum(DELIMITER_NAMES).optional().describe('Told from the file unless said'),
      encoding: z
        .enum(['utf-8', 'utf-16le', 'utf-16be', 'windows-1252'])
        .optional()
        .describe('Told from the file unless said'),
      header: z.enum(['yes', 'no']).optional().describe('Whether the first row names the columns; told unless said'),
    }),
    takes: 'text/csv',
    answer: importShown,
    status: 201,
    errors: ['not-a-table', 'key-file-unreadable', 'body-too-large', 'unsupported-media-type'],
    etag: 'answers',
    trail: ['import.received'],
  }),
  'imports.show': route('imports.show', {
    summary: 'One import: columns, counts, progress, outcome',
    access: operator('person.import'),
    params: byId,
    answer: importShown,
    etag: 'answers',
    trail: READS,
  }),
  'imports.check': route('imports.check', {
    summary: 'Say what the columns mean and have every row checked; nothing is written to people or groups',
    access: operator('person.import'),
    params: byId,
    body: z.strictObject({
      columns: z.array(meaning).max(LIMITS.fileColumns),
      rules: z.strictObject(rules),
      saveAs: line(LIMITS.mappingNameChars)
        .nullable()
        .describe('Name of the mapping to keep this as; null leaves the import without one'),
      dryRun: z.boolean().default(false).describe('Only to be looked at: it is forgotten after an hour'),
    }),
    answer: importShown,
    errors: ['wrong-state', 'name-taken'],
    etag: 'answers',
    trail: ['import-mapping.saved'],
  }),
  'imports.rows': route('imports.rows', {
    summary: 'The preview, row by row: what would change from what to what, and what is wrong where',
    access: operator('person.import'),
    params: byId,
    query: z.strictObject({ ...pageQuery, verdict: z.enum(ROW_VERDICTS).optional() }),
    answer: page(rowShown),
    trail: READS,
  }),
  'imports.apply': route('imports.apply', {
    summary: 'Write what the preview shows, as a job; goes on with one that was stopped',
    access: operator('person.import'),
    params: byId,
    body: z.strictObject({
      skipBad: z.boolean().default(false).describe('Write the good rows though others are refused'),
      missingMost: z.number().int().min(0).optional().describe('How many may be deactivated at most'),
      clearMost: z.number().int().min(0).optional().describe('Of how many something may be cleared at most'),
    }),
    answer: importShown,
    errors: ['wrong-state', 'bad-rows', 'too-many-missing', 'too-many-cleared', 'changed-meanwhile', 'if-match-needed'],
    etag: 'requires',
    freshProof: true,
    trail: ['import.begun'],
  }),
  'imports.stop': route('imports.stop', {
    summary: 'Have a running import stop after the rows it is at; what is written stays, and it can go on',
    access: operator('person.import'),
    params: byId,
    answer: importShown,
    errors: ['wrong-state'],
    trail: ['import.stopped'],
  }),
  'imports.discard': route('imports.discard', {
    summary: 'Forget an import and what its file held; people and groups stay as they are',
    access: operator('person.import'),
    params: byId,
    answer: nothing,
    errors: ['wrong-state'],
    trail: ['import.discarded'],
  }),
  'imports.report': route('imports.report', {
    summary: 'Rows that were not or will not be written, with reasons, as CSV to mend and send again',
    access: operator('person.import'),
    params: byId,
    answer: z.string(),
    media: 'text/csv; charset=utf-8',
    trail: ['import.report-taken'],
  }),
  'importMappings.list': route('importMappings.list', {
    summary: 'Saved mappings, by name',
    access: operator('person.import'),
    query: z.strictObject(pageQuery),
    answer: page(
      z.strictObject({
        id,
        name: z.string(),
        kind: z.enum(IMPORT_KINDS),
        columns: z.array(z.strictObject({ name: z.string(), meaning })),
        rules: z.strictObject(rules),
        people: z.number().int().describe('People whom its files have brought and who have not left'),
        updatedAt: instant,
        version,
      }),
    ),
    trail: READS,
  }),
  'importMappings.delete': route('importMappings.delete', {
    summary: 'Forget a mapping; what its files brought stays, as if it had come by hand',
    access: operator('person.import'),
    params: byId,
    answer: nothing,
    errors: ['wrong-state'],
    trail: ['import-mapping.deleted'],
  }),
};
