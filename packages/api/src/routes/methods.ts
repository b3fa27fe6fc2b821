import {
  offeredSpec,
  type METHOD_SPECS,
  type OfferedMethod,
  type ParameterSpec,
  type ParameterValue,
} from '@nimble-latch/core/methods/kinds';
import { METHOD_PURPOSES, METHODS, WHY_NOT_OFFERED } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { id, line, page, pageQuery, version, sixteenBytes } from '../schema.js';
import { AFFECTED, affectedPerson } from './rulebook.js';

const common = {
  enrol: z.boolean().describe('Whether more of it may be enrolled'),
  purposes: z
    .array(z.enum(METHOD_PURPOSES))
    .max(METHOD_PURPOSES.length)
    .describe('What it may be used for; empty for nothing'),
};
const models = z
  .array(z.strictObject({ aaguid: sixteenBytes, name: line(LIMITS.labelChars).optional() }))
  .min(1)
  .max(LIMITS.modelsNamed);

/** The schema of a parameter, from its description. */
function parameterSchema(spec: ParameterSpec): z.ZodType {
  const schema = () => {
    switch (spec.kind) {
      case 'whole':
        return z.number().int().min(spec.least).max(spec.most);
      case 'one of': {
        const [first, ...others] = spec.of;
        if (others.length === 0) return z.literal(first!);
        return spec.of.every((one) => typeof one === 'string') ? z.enum(spec.of) : z.literal([...spec.of]);
      }
      case 'some of':
        return z.array(z.enum(spec.of)).min(1).max(spec.of.length);
      case 'models':
        return models;
    }
  };
  return spec.says === undefined ? schema() : schema().describe(spec.says);
}

type Specs = typeof METHOD_SPECS;
type Parameters<M extends OfferedMethod> = Specs[M]['offered']['parameters'];
type ParameterShape<P extends Readonly<Record<string, ParameterSpec>>> = {
  -readonly [Name in keyof P]: z.ZodType<Mutable<ParameterValue<P[Name]>>>;
};
type Mutable<T> = T extends readonly (infer One)[] ? One[] : T;

/** What may be said of a method, from its description. */
function cellOf<M extends OfferedMethod>(method: M) {
  const { parameters } = offeredSpec(method);
  const shape = Object.fromEntries(Object.entries(parameters).map(([name, spec]) => [name, parameterSchema(spec)]));
  return z.strictObject({
    ...common,
    parameters: z
      .strictObject(shape as ParameterShape<Parameters<M>>)
      .partial()
      .optional()
      .describe('What is left out is as it is for everybody'),
  });
}

const checked = {
  checked: z.enum(['here', 'elsewhere']).default('here').describe('elsewhere: applications check it and say so'),
};

/** What is said of each method. */
export const methodCells = z
  .strictObject({
    password: cellOf('password').extend(checked),
    totp: cellOf('totp'),
    hotp: cellOf('hotp'),
    webauthn: cellOf('webauthn'),
    push: cellOf('push'),
    recovery: cellOf('recovery'),
    pass: cellOf('pass'),
  } satisfies Record<OfferedMethod, z.ZodType>)
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
  loosened: z.strictObject({
    people: z.number().int().describe('Who would need less somewhere than today'),
    named: z.array(affectedPerson.omit({ lockedOut: true })).describe('The first of them'),
  }),
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
  'methods.reviewPeople': route('methods.reviewPeople', {
    summary: 'Everybody whom other method settings would lock out, or who would need less than today, by name',
    access: operator('setting.write'),
    query: z.strictObject({ ...pageQuery, only: z.enum(AFFECTED).optional() }),
    body: z.strictObject({ rows: methodRows }),
    answer: page(affectedPerson),
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
