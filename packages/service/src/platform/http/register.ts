import type { OutgoingHttpHeaders, ServerResponse } from 'node:http';
import { Readable } from 'node:stream';
import {
  API_BASE,
  hint,
  misplacedSubject,
  ROUTES,
  ROUTE_IDS,
  type ErrorCode,
  type RouteId,
  type RouteSpec,
} from '@nimble-latch/api';
import type { Json } from '@nimble-latch/core/crypto';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { z } from 'zod';
import { stoodNoMore } from '../db/errors.js';
import type { Statement } from '../db/sql.js';
import { inTransaction, optimistically, type Opening } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { AsksFirst, PermissionRefusal, Refusal } from '../errors.js';
import { idBytes } from '../ids.js';
import { entryOf, type Actor, type ApplicationActor, type OperatorActor } from './actors.js';
import { assertSameOrigin, SESSION_COOKIE, type Gatekeeper } from './gatekeeper.js';
import type { Call, Handler, Handlers, Reply } from './call.js';
import { checkedAnswer } from './checked-answer.js';
import { PAGE_CALLS_PER_MINUTE, type FloodGuard } from './flood-guard.js';
import { firstOutcome, keepOutcome, onceOf, Repeated } from './outcomes.js';
import { issuesOf } from './problems.js';

/** Registers every call of the contract. The path of a request: admitted, parsed, handled, its answer checked. */
export function registerContract(
  app: FastifyInstance,
  deps: Deps,
  handlers: Handlers,
  gate: Gatekeeper,
  floods: FloodGuard,
): void {
  // Files come as streams to the calls that take them, which bound them themselves; everywhere else only JSON is read.
  app.addContentTypeParser('text/csv', (_request, payload, done) => done(null, payload));
  for (const id of ROUTE_IDS) {
    const spec: RouteSpec = ROUTES[id];
    assertPlaced(id, spec);
    app.route({
      method: spec.method,
      url: API_BASE + spec.path.replace(/\{(\w+)\}/g, ':$1'),
      config: { routeId: id },
      ...(spec.bodyBytes === undefined ? {} : { bodyLimit: spec.bodyBytes }),
      handler: async (request, reply) =>
        await handle(deps, gate, floods, id, spec, handlers[id] as Handler<RouteId>, request, reply),
    });
  }
}

/** A route whose subject nobody has named must not serve a single call. */
function assertPlaced(id: RouteId, spec: RouteSpec): void {
  const misplaced = misplacedSubject(spec);
  if (misplaced !== undefined) throw new TypeError(`${id}: the gate can't tell whom it is about: ${misplaced}`);
  const named = [...spec.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name!);
  if (named.length > 0 && !spec.params) throw new TypeError(`${id}: its path has parameters that nothing parses`);
}

async function handle<R extends RouteId>(
  deps: Deps,
  gate: Gatekeeper,
  floods: FloodGuard,
  id: R,
  spec: RouteSpec,
  handler: Handler<R>,
  request: FastifyRequest,
  reply: FastifyReply,
): Promise<unknown> {
  const changes = spec.method !== 'GET';
  if (spec.access.kind === 'public') {
    floods.assertCalm(
      request.ip,
      deps.now(),
      /^(pages|own|passkeys|phones)\./.test(id) ? PAGE_CALLS_PER_MINUTE : undefined,
    );
    assertSameOrigin(deps, request);
  }
  const actor = await gate.identify(request, spec.access, changes);
  const found = spec.params?.safeParse(request.params);
  if (spec.access.kind === 'operator')
    await gate.assertMay(actor as OperatorActor, spec.access, found?.data, changes).catch(async (error: unknown) => {
      if (error instanceof PermissionRefusal) await trailDenied(deps, error.actor, request.ip, id, error);
      throw error;
    });
  if (spec.freshProof) gate.assertFresh(actor);
  // An id of the wrong shape names nothing that could exist.
  if (found?.success === false) throw new Refusal('not-found');
  const params: unknown = found?.data;
  const query = parsePart('query', spec.query, request.query);
  const file = request.body instanceof Readable ? request.body : undefined;
  if ((file === undefined) === (spec.takes !== undefined)) throw new Refusal('unsupported-media-type');
  const body = file ? undefined : parsePart('body', spec.body, request.body);
  const idempotencyKey = spec.idempotent ? headerKey(request) : undefined;
  const asked: Json = { params: (params ?? null) as Json, body: (body ?? null) as Json };
  const once = idempotencyKey === undefined ? undefined : onceOf(deps, actor, id, idempotencyKey, asked);
  if (once) {
    const first = await firstOutcome<R>(deps, once, asked);
    if (first) return send(deps, id, spec, reply.header('idempotency-replayed', 'true'), first);
  }
  const call: Call<R> = {
    params,
    query,
    body,
    file,
    fileKey: file ? headerText(request.headers['nlatch-file-key']) : undefined,
    fileSigner: file ? headerText(request.headers['nlatch-file-signer']) : undefined,
    actor,
    origin: request.ip,
    connected: () => !request.raw.socket.destroyed,
    browser: request.headers['user-agent']?.slice(0, 400) ?? null,
    ifMatch: spec.etag === 'requires' ? versionOf(request) : undefined,
    cookies: request.cookies,
    sessionToken: request.cookies[SESSION_COOKIE],
    once: once !== undefined,
    run: async (useCase: Parameters<Call<R>['run']>[0], read?: Statement) =>
      await inTransaction(
        deps,
        async (work) => {
          const result = await useCase(work);
          if (actor.kind === 'application') work.atEnd(keyStands(actor, work.now));
          if (once) await keepOutcome(deps, work, once, result);
          return result;
        },
        read,
      ),
    plan: async (useCase: Parameters<Call<R>['plan']>[0], opening: Opening) =>
      // Keeping an outcome needs the transaction from the start.
      once
        ? await call.run(useCase, opening.read)
        : await optimistically(
            deps,
            async (plan) => {
              const result = await useCase(plan);
              if (actor.kind === 'application') plan.atEnd(keyStands(actor, plan.now));
              return result;
            },
            opening,
          ),
  } as Call<R>;
  try {
    return send(deps, id, spec, reply, await handler(deps, call));
  } catch (error) {
    // Nothing of it stands.
    if (stoodNoMore(error)) throw new Refusal('wrong-key');
    if (error instanceof AsksFirst) throw await error.ask(deps);
    if (error instanceof Refusal && DENIALS.has(error.code)) await trailDenied(deps, actor, request.ip, id, error);
    // The same request may have come to its outcome on the way: what made this one fail is then its own success.
    if (!once || !(error instanceof Repeated || error instanceof Refusal)) throw error;
    const first = await firstOutcome<R>(deps, once, asked);
    if (!first) throw error;
    return send(deps, id, spec, reply.header('idempotency-replayed', 'true'), first);
  }
}

/** The key that a call was made with is still one, of a connection that is still there: looked at by the transaction that goes by it. */
const keyStands = ({ keyId }: ApplicationActor, now: Date): Statement => ({
  sql: 'SELECT 1 FROM connection_keys WHERE id = :standingKey AND (expires_at IS NULL OR expires_at > :standingAt)',
  values: { standingKey: idBytes(keyId), standingAt: now },
  stands: true,
});

/** Refusals for want of a right, wherever they are found out. */
const DENIALS: ReadonlySet<ErrorCode> = new Set(['owners-only', 'own-rights', 'not-yours-to-sign']);

/** That somebody tried what they may not is on the trail. */
async function trailDenied(deps: Deps, actor: Actor, origin: string, route: RouteId, error: Refusal): Promise<void> {
  await inTransaction(deps, async (work) => {
    const entry = entryOf({ actor, origin }, 'permission.refused', { kind: 'call', id: null });
    const permission = error.facts['permission'];
    await work.trail({
      ...entry,
      reason: permission === undefined ? error.code : String(permission),
      details: { call: route, why: error.code },
    });
  });
}

function send<R extends RouteId>(deps: Deps, id: R, spec: RouteSpec, reply: FastifyReply, result: Reply<R>): unknown {
  if (result.version !== undefined) reply.header('etag', `"v${result.version}"`);
  if (result.session === null) reply.clearCookie(SESSION_COOKIE, { path: '/', secure: true });
  else if (result.session)
    reply.setCookie(SESSION_COOKIE, result.session.token, {
      path: '/',
      secure: true,
      httpOnly: true,
      sameSite: 'strict',
      expires: result.session.expiresAt,
    });
  for (const { name, token, expiresAt } of result.cookies ?? [])
    if (token === null) reply.clearCookie(name, { path: '/', secure: true, httpOnly: true, sameSite: 'strict' });
    else
      reply.setCookie(name, token, {
        path: '/',
        secure: true,
        httpOnly: true,
        sameSite: 'strict',
        ...(expiresAt ? { expires: expiresAt } : {}),
      });
  reply.code(spec.status ?? 200).header('cache-control', 'no-store');
  if (result.listens) return handOver(reply.type(spec.media!), result.listens);
  if (spec.media) return reply.type(spec.media).send(result.stream ?? result.answer);
  // Checked on the way out too: a field that the contract does not name never leaves.
  const { answer, leftOut } = checkedAnswer(spec.answer, result.answer);
  // Said where it is looked for: in the log with its place, and to whoever asked.
  for (const place of leftOut) deps.log.error({ route: id, place }, 'a row of an answer is not as the contract has it');
  if (leftOut.length > 0) reply.header('nlatch-rows-left-out', String(leftOut.length));
  return reply.type('application/json; charset=utf-8').send(JSON.stringify(answer));
}

function handOver(reply: FastifyReply, listens: (line: ServerResponse) => () => void): FastifyReply {
  reply.hijack();
  const line = reply.raw;
  line.writeHead(reply.statusCode, reply.getHeaders() as OutgoingHttpHeaders);
  line.once('close', listens(line));
  return reply;
}

/** Takes a part of the request apart by its schema. What the route does not declare is refused by the strict schemas. */
function parsePart(root: 'query' | 'body', schema: z.ZodType | undefined, value: unknown): unknown {
  if (!schema) return undefined;
  const result = schema.safeParse(value ?? (root === 'body' ? undefined : {}));
  if (result.success) return result.data;
  throw new Refusal('invalid-input', {}, issuesOf(root, result.error));
}

const headerText = (value: string | string[] | undefined) => (Array.isArray(value) ? value[0] : value);

function headerKey(request: FastifyRequest): string | undefined {
  const value = request.headers['idempotency-key'];
  if (value === undefined) return undefined;
  if (typeof value !== 'string' || !/^[\x21-\x7e]{8,100}$/.test(value))
    throw new Refusal('invalid-input', {}, [{ where: 'header.idempotency-key', what: hint('idempotency-key') }]);
  return value;
}

function versionOf(request: FastifyRequest): number {
  const value = request.headers['if-match'];
  if (value === undefined) throw new Refusal('if-match-needed');
  const match = /^"v(\d{1,9})"$/.exec(value);
  if (!match) throw new Refusal('invalid-input', {}, [{ where: 'header.if-match', what: hint('etag') }]);
  return Number(match[1]);
}

declare module 'fastify' {
  interface FastifyContextConfig {
    routeId?: RouteId;
    /** Data that is no call of the contract, and no page. */
    data?: boolean;
    /** No cookie opens it, so pages of any origin may read it. */
    anyOrigin?: boolean;
  }
}
