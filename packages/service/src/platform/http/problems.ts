import {
  catalogue,
  ERRORS,
  hint,
  LIMITS,
  say,
  sayHint,
  type Catalogue,
  type ErrorCode,
  type Language,
  type FieldIssue,
  type Problem,
} from '@nimble-latch/api';
import type { FastifyError } from 'fastify';
import type { z } from 'zod';
import { isRetryable, isUnavailable } from '../db/errors.js';
import { Refusal } from '../errors.js';
import { HasherBusy } from '../secrets/password-hasher.js';

/** A field's name as its caller wrote it, cut short: it may be anything. */
const shortName = (name: PropertyKey) => String(name).slice(0, 60);

/** `body.loginNames[0]` */
function place(root: string, path: readonly PropertyKey[]): string {
  return path.reduce<string>(
    (where, part) => (typeof part === 'number' ? `${where}[${part}]` : `${where}.${shortName(part)}`),
    root,
  );
}

/** Issues of one part of a request; never the values. */
export function issuesOf(root: 'params' | 'query' | 'body', error: z.ZodError): FieldIssue[] {
  return error.issues.flatMap((issue): FieldIssue[] => {
    if (issue.code === 'unrecognized_keys')
      return issue.keys
        .slice(0, 20)
        .map((name) => ({ where: place(root, [...issue.path, name]), what: hint('unknown-field') }));
    if (issue.code === 'invalid_union' && issue.errors.length > 0 && issue.message === 'Invalid input')
      return [{ where: place(root, issue.path), what: hint('no-form') }];
    return [{ where: place(root, issue.path), what: whatOf(issue) }];
  });
}

/** What is wrong, as a hint of the catalogue. Schemas carry hints where they have something special to say. */
function whatOf(issue: z.core.$ZodIssue): string {
  if (issue.message.startsWith('hint:')) return issue.message;
  switch (issue.code) {
    case 'invalid_type':
      return issue.message.endsWith(' undefined') ? hint('missing') : hint('wrong-type', { expected: issue.expected });
    case 'invalid_value':
      return hint('one-of', { values: issue.values.map(String).join(', ') });
    case 'too_small':
      return hint('too-small', { least: Number(issue.minimum) });
    case 'too_big':
      return hint('too-big', { most: Number(issue.maximum) });
    case 'invalid_format':
      return hint('wrong-form', { form: issue.format });
    default:
      return hint('unexpected');
  }
}

/** Turns anything thrown into one code of the table. What is not ours becomes `internal`, with nothing of its own words. */
export function refusalOf(error: unknown, bodyLimit: number = LIMITS.bodyBytes): Refusal {
  if (error instanceof Refusal) return error;
  if (error instanceof HasherBusy) return new Refusal('throttled', { seconds: error.seconds });
  // Whoever is given back a conflict that did not end by trying again comes a moment later.
  if (isUnavailable(error) || isRetryable(error)) return new Refusal('unavailable');
  switch ((error as Partial<FastifyError> | null)?.code) {
    case 'FST_ERR_CTP_BODY_TOO_LARGE':
      return new Refusal('body-too-large', { limit: bodyLimit });
    case 'FST_ERR_CTP_INVALID_MEDIA_TYPE':
      return new Refusal('unsupported-media-type');
    case 'FST_ERR_CTP_EMPTY_JSON_BODY':
    case 'FST_ERR_CTP_INVALID_JSON_BODY':
    case 'FST_ERR_CTP_INVALID_CONTENT_LENGTH':
      return new Refusal('malformed-body');
  }
  // The JSON parser's own refusals (syntax, a key named __proto__) carry this status and no code of ours.
  if (error instanceof SyntaxError && (error as { statusCode?: number }).statusCode === 400)
    return new Refusal('malformed-body');
  return new Refusal('internal');
}

/** What is wrong with a password, a key or metadata is told in the caller's language too. */
function toldIn(words: Catalogue, facts: Refusal['facts']): Refusal['facts'] {
  const { weakness, reason, problem } = facts;
  const { language } = words;
  const known = <T extends object>(sentences: T, name: unknown): T[keyof T] | undefined =>
    typeof name === 'string' && Object.hasOwn(sentences, name) ? sentences[name as keyof T] : undefined;
  const why = known(words.keyRefusals, reason) ?? known(words.metadataProblems, problem);
  if (why !== undefined) return { ...facts, why };
  return typeof weakness === 'string' && weakness in words.weakness
    ? { ...facts, why: say(words.weakness[weakness as keyof Catalogue['weakness']], facts, language) }
    : facts;
}

/** RFC 9457. */
export function problemOf(refusal: Refusal, requestId: string, language: Language): Problem {
  const code: ErrorCode = refusal.code;
  const words = catalogue(language);
  const spec = ERRORS[code];
  const issues = refusal.issues.map(({ where, what }) => ({ where, what: sayHint(words, what) }));
  return {
    type: `urn:nimble-latch:problem:${code}`,
    title: say(words.errors[code].title, toldIn(words, refusal.facts), language),
    status: spec.status,
    code,
    detail: issues.map((issue) => `${issue.where}: ${issue.what}`).join('; '),
    remedy: say(words.errors[code].remedy, readable(refusal.facts), language),
    retryable: spec.retryable,
    instance: `urn:nimble-latch:request:${requestId}`,
    ...(issues.length > 0 ? { issues } : {}),
    ...(Object.keys(refusal.facts).length > 0 ? { facts: refusal.facts } : {}),
  };
}

/** Facts as a sentence tells them: moments to the minute, where the data beside it have them exactly. */
const readable = (facts: Refusal['facts']): Refusal['facts'] =>
  Object.fromEntries(
    Object.entries(facts).map(([name, fact]) => [
      name,
      typeof fact === 'string' ? fact.replace(/^(\d{4}-\d\d-\d\d)T(\d\d:\d\d):[\d.]+Z$/, '$1 $2 UTC') : fact,
    ]),
  );
