import type { Permission, Scope, TrailAction } from '@nimble-latch/core/vocabulary';
import type { z } from 'zod';
import type { ErrorCode } from './errors.js';
import { PATHS, type RouteId } from './paths.js';

/**
 * Whom a call is about, so that roles limited to groups end where they should, and administrators and emergency accounts
 * are left to owners: everybody (or the installation); what the caller reaches, to which the answer is narrowed; or one
 * person, named by a parameter of the path, or by an authenticator, carrier, sign-in, invitation or disputed change of theirs.
 */
export type About =
  | 'everybody'
  | 'within'
  | { readonly person: string }
  | { readonly authenticator: string }
  | { readonly carrier: string }
  | { readonly signIn: string }
  | { readonly invitation: string }
  | { readonly dispute: string };

/** What a parameter of a path names: something of one person's, something of the installation, or a part of what is named before it. */
type Subject = 'person' | 'authenticator' | 'carrier' | 'signIn' | 'invitation' | 'dispute' | 'installation' | 'part';

/**
 * What the members of each collection are, by the path before the parameter (`*` for a parameter in it). A collection that is not
 * here can't be part of a call of operators: the service doesn't start with one, since nobody has said whom it would be about.
 */
const SUBJECT_OF: Readonly<Record<string, Subject>> = {
  '/people': 'person',
  '/people/*/login-names': 'part',
  '/people/*/roles': 'part',
  '/people/*/browsers': 'part',
  '/people/*/tokens': 'part',
  '/groups/*/members': 'person',
  '/authenticators': 'authenticator',
  '/passes': 'authenticator',
  '/invitations': 'invitation',
  '/disputes': 'dispute',
  '/invitation-rounds': 'installation',
  '/standing-invitations': 'installation',
  '/carriers': 'carrier',
  '/activity/sign-ins': 'signIn',
  '/groups': 'installation',
  '/groups/*/parts': 'part',
  '/applications': 'installation',
  '/connections': 'installation',
  '/connections/*/keys': 'part',
  '/networks': 'installation',
  '/rulebook/versions': 'installation',
  '/imports': 'installation',
  '/import-mappings': 'installation',
  '/bulk-changes': 'installation',
  '/access-tokens': 'installation',
  '/attestation-roots': 'installation',
  '/stock/tokens': 'installation',
  '/trail': 'installation',
  '/stock/certificates': 'installation',
  '/walk-throughs': 'installation',
};

/**
 * Why the gate could not tell whom a call of operators is about; undefined where it can: every parameter of its path is a member of
 * a known collection, and the one that names something of a person's is the one that its rule of access goes by.
 */
export function misplacedSubject({ path, access }: Pick<RouteSpec, 'path' | 'access'>): string | undefined {
  if (access.kind !== 'operator') return undefined;
  const subjects: string[] = [];
  for (const match of path.matchAll(/\{(\w+)\}/g)) {
    const collection = path.slice(0, match.index - 1).replace(/\{\w+\}/g, '*');
    const subject = Object.hasOwn(SUBJECT_OF, collection) ? SUBJECT_OF[collection] : undefined;
    if (subject === undefined) return `nobody has said what a member of ${collection} is`;
    if (subject !== 'installation' && subject !== 'part') subjects.push(`${subject} {${match[1]}}`);
  }
  const { about } = access;
  const ruled = typeof about === 'string' ? [] : Object.entries(about).map(([what, name]) => `${what} {${name}}`);
  return String(subjects) === String(ruled)
    ? undefined
    : `its path names ${String(subjects) || 'nobody'}, its rule of access ${String(ruled) || 'nobody'}`;
}

/** Who may call a route. There is no route without one. */
export type Access =
  | { readonly kind: 'operator'; readonly permission: Permission; readonly about: About }
  /** Anybody who is signed in as an operator, about themselves. */
  | { readonly kind: 'self' }
  | { readonly kind: 'application'; readonly scope: Scope }
  | { readonly kind: 'public'; readonly why: string };

export interface RouteSpec {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  /** Below `/api/v1`, parameters in braces. */
  readonly path: string;
  readonly summary: string;
  readonly access: Access;
  readonly params?: z.ZodType;
  readonly query?: z.ZodType;
  readonly body?: z.ZodType;
  /** Bytes of the body, where it may be larger than others. */
  readonly bodyBytes?: number;
  /** Takes a file of this type as it comes, instead of a JSON body. */
  readonly takes?: 'text/csv';
  readonly answer: z.ZodType;
  /** Answers text of this type, whole or as it comes, instead of JSON. */
  readonly media?:
    | 'text/plain; version=0.0.4'
    | 'text/csv; charset=utf-8'
    | 'text/event-stream'
    | 'application/yaml; charset=utf-8'
    | 'application/pskc+xml; charset=utf-8';
  /** Status of success; 200 unless said. */
  readonly status?: 200 | 201;
  /** Codes beyond those that every route can answer with. */
  readonly errors?: readonly ErrorCode[];
  /** Takes `Idempotency-Key`: a repeated request gets its first outcome for some minutes. */
  readonly idempotent?: boolean;
  /** `answers`: carries an ETag. `requires`: `If-Match` must be sent. */
  readonly etag?: 'answers' | 'requires';
  /** A console session must have proved itself within the last minutes. */
  readonly freshProof?: boolean;
  /** What it writes on the trail; for calls that change nothing, why not. */
  readonly trail: readonly TrailAction[] | { readonly none: string };
}

type Method<R extends RouteId> = (typeof PATHS)[R][0];

/** One route: its method and path, and what is said of it with its literal types kept. */
export function route<R extends RouteId, const T extends Omit<RouteSpec, 'method' | 'path'>>(
  id: R,
  spec: T,
): T & { readonly method: Method<R>; readonly path: string } {
  const [method, path] = PATHS[id];
  return { ...spec, method, path };
}

export const operator = (permission: Permission, about: About = 'everybody') =>
  ({ kind: 'operator', permission, about }) as const;
export const self = { kind: 'self' } as const;
export const application = (scope: Scope) => ({ kind: 'application', scope }) as const;
export const open = (why: string) => ({ kind: 'public', why }) as const;

/** For calls that only read. */
export const READS = { none: 'reads only' } as const;
