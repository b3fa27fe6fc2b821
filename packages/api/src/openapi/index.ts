import type { Reason } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { configurationFile } from '../routes/configuration.js';
import { ERRORS, ERROR_CODES, type ErrorCode } from '../errors.js';
import type { Access, RouteSpec } from '../contract.js';
import { catalogue } from '../messages/index.js';
import { API_BASE, type RouteId } from '../paths.js';
import { ROUTES } from '../routes/index.js';
import { CLAIM_FORMS, EXAMPLES, PERSON_FORMS, PROMPT_FORMS, REASON_ADVICE } from './integrating.js';

export { CLAIM_FORMS, EXAMPLES, PERSON_FORMS, PROMPT_FORMS, REASON_ADVICE } from './integrating.js';

type JsonObject = Record<string, unknown>;

/** Codes that any route can answer with. */
const EVERYWHERE: readonly ErrorCode[] = [
  'invalid-input',
  'malformed-body',
  'malformed-request',
  'body-too-large',
  'throttled',
  'internal',
  'too-dear',
  'unavailable',
];

/** A schema of the contract as JSON Schema (2020-12): as it is sent, or as it is answered. */
export function schemaOf(schema: z.ZodType, io: 'input' | 'output'): JsonObject {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, {
    io,
    target: 'draft-2020-12',
    unrepresentable: 'any',
  }) as JsonObject;
  return rest;
}

/** All codes that one route can answer with. */
export function errorsOf(spec: RouteSpec): ErrorCode[] {
  const codes = new Set<ErrorCode>([...EVERYWHERE, ...(spec.errors ?? [])]);
  if (spec.params) codes.add('not-found');
  if (spec.idempotent) codes.add('key-reused');
  if (spec.freshProof) codes.add('proof-needed');
  if (spec.access.kind === 'operator') codes.add('not-signed-in').add('not-permitted').add('cross-site');
  if (spec.access.kind === 'self') codes.add('not-signed-in').add('cross-site');
  if (spec.access.kind === 'application') codes.add('wrong-key').add('scope-missing');
  return ERROR_CODES.filter((code) => codes.has(code));
}

/** One sentence on who may call. */
export function accessSentence(access: Access): string {
  switch (access.kind) {
    case 'operator':
      return access.about === 'everybody'
        ? `Operators with the permission ${access.permission}, not limited to groups`
        : `Operators with the permission ${access.permission}${access.about === 'within' ? '; what they get ends at their groups' : ' for this person'}`;
    case 'self':
      return 'Any operator, about themselves';
    case 'application':
      return `Connections with the scope ${access.scope}`;
    case 'public':
      return `Anybody: ${access.why}`;
  }
}

function parameters(spec: RouteSpec): JsonObject[] {
  const list: JsonObject[] = [];
  for (const place of ['params', 'query'] as const) {
    const schema = spec[place];
    if (!schema) continue;
    const { properties = {}, required = [] } = schemaOf(schema, 'input') as {
      properties?: JsonObject;
      required?: string[];
    };
    for (const [name, property] of Object.entries(properties)) {
      list.push({
        name,
        in: place === 'params' ? 'path' : 'query',
        required: place === 'params' || required.includes(name),
        schema: property,
      });
    }
  }
  const header = (name: string, required: boolean, description: string) =>
    list.push({ name, in: 'header', required, description, schema: { type: 'string' } });
  if (spec.idempotent)
    header('Idempotency-Key', false, 'A repeated request with the same key gets its first outcome for 10 minutes');
  if (spec.etag === 'requires') header('If-Match', true, 'The ETag that was last seen');
  return list;
}

/** Examples of a call's body or answer, each under a name of its own. */
function examplesOf(name: string, part: 'body' | 'answer'): JsonObject {
  const shown = (EXAMPLES[name as RouteId] ?? []).filter((one) => one[part] !== undefined);
  if (shown.length === 0) return {};
  return {
    examples: Object.fromEntries(
      shown.map((one, at) => [`example-${at + 1}`, { summary: one.title, value: one[part] }]),
    ),
  };
}

/** What the whole says to whoever connects an application, in words (CommonMark, as OpenAPI has it). */
function integrating(): string {
  const code = (value: unknown) => `\`${JSON.stringify(value)}\``;
  const part = (title: string, lines: readonly string[]) =>
    `## ${title}\n\n${lines.map((line) => `- ${line}`).join('\n')}`;
  const { reasons } = catalogue('en');
  return [
    part(
      'Prompts',
      Object.entries(PROMPT_FORMS).map(([kind, { what, proof }]) => `**${kind}**: ${what} Answered by ${code(proof)}`),
    ),
    part(
      'Reasons',
      Object.entries(REASON_ADVICE).map(([reason, advice]) => `**${reason}**: ${reasons[reason as Reason]}. ${advice}`),
    ),
    part(
      'Claims, of what the connection was granted',
      Object.entries(CLAIM_FORMS).map(([claim, { what, example }]) => `**${claim}**: ${what} ${code(example)}`),
    ),
    part(
      'Persons',
      PERSON_FORMS.map(({ what, example }) => `${what} ${code(example)}`),
    ),
  ].join('\n\n');
}

function operation(name: string, spec: RouteSpec): JsonObject {
  const problems: JsonObject = {};
  for (const code of errorsOf(spec)) {
    const status = String(ERRORS[code].status);
    const known = (problems[status] as { description: string } | undefined)?.description;
    problems[status] = {
      description: known ? `${known}, ${code}` : code,
      content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
    };
  }
  const security =
    spec.access.kind === 'public'
      ? []
      : spec.access.kind === 'application'
        ? [{ applicationKey: [] }]
        : [{ accessToken: [] }, { consoleSession: [] }];
  return {
    operationId: name,
    summary: spec.summary,
    description: `${accessSentence(spec.access)}.${spec.freshProof ? ' A console session needs a fresh proof.' : ''}`,
    tags: [name.split('.')[0]],
    security,
    parameters: parameters(spec),
    ...(spec.takes
      ? { requestBody: { required: true, content: { [spec.takes]: { schema: { type: 'string' } } } } }
      : {}),
    ...(spec.body
      ? {
          requestBody: {
            required: true,
            content: {
              'application/json': { schema: schemaOf(spec.body, 'input'), ...examplesOf(name, 'body') },
            },
          },
        }
      : {}),
    responses: {
      [String(spec.status ?? 200)]: {
        description: 'Done',
        ...(spec.etag ? { headers: { ETag: { schema: { type: 'string' } } } } : {}),
        content: {
          [spec.media?.split(';')[0] ?? 'application/json']: {
            schema: schemaOf(spec.answer, 'output'),
            ...examplesOf(name, 'answer'),
          },
        },
      },
      ...problems,
    },
  };
}

/** The OpenAPI 3.1 description of the whole interface, made from the contract. */
export function buildOpenApi(server: string, version: string): JsonObject {
  const paths: Record<string, JsonObject> = {};
  for (const [name, spec] of Object.entries(ROUTES)) {
    const path = API_BASE + spec.path;
    paths[path] = { ...paths[path], [spec.method.toLowerCase()]: operation(name, spec) };
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Nimble Latch',
      version,
      description: `Second factors and passwordless credentials: enrol, manage, ask.\n\n${integrating()}`,
    },
    servers: [{ url: server }],
    paths,
    components: {
      securitySchemes: {
        accessToken: { type: 'http', scheme: 'bearer', description: 'An operator’s access token' },
        applicationKey: { type: 'http', scheme: 'bearer', description: 'An application’s key' },
        consoleSession: {
          type: 'apiKey',
          in: 'cookie',
          name: '__Host-nlatch',
          description: 'With the header x-nlatch-csrf',
        },
      },
      schemas: { Problem: problemSchema() },
    },
  };
}

function problemSchema(): JsonObject {
  return {
    type: 'object',
    description: 'RFC 9457',
    required: ['type', 'title', 'status', 'code', 'detail', 'remedy', 'retryable', 'instance'],
    properties: {
      type: { type: 'string' },
      title: { type: 'string' },
      status: { type: 'integer' },
      code: { enum: ERROR_CODES },
      detail: { type: 'string' },
      remedy: { type: 'string' },
      retryable: { type: 'boolean' },
      instance: { type: 'string' },
      issues: {
        type: 'array',
        items: {
          type: 'object',
          required: ['where', 'what'],
          properties: { where: { type: 'string' }, what: { type: 'string' } },
        },
      },
      facts: { type: 'object' },
    },
  };
}

/** The form of a configuration file, as JSON Schema 2020-12. */
export const configurationSchema = (): object =>
  z.toJSONSchema(configurationFile, { target: 'draft-2020-12', io: 'input' });
