import fastifyCookie from '@fastify/cookie';
import { acceptedLanguage, LIMITS } from '@nimble-latch/api';
import Fastify, { type FastifyInstance, type FastifyReply, type FastifyRequest } from 'fastify';
import { STATUS_CODES } from 'node:http';
import type { Socket } from 'node:net';
import { readFileSync } from 'node:fs';
import { setTimeout as delay } from 'node:timers/promises';
import { pendingMigrations } from '../platform/db/migrate.js';
import { selectOne } from '../platform/db/sql.js';
import type { Deps } from '../platform/deps.js';
import { Refusal } from '../platform/errors.js';
import { Gate } from '../areas/access/gate.js';
import type { Served } from './areas.js';
import { FloodGuard } from '../platform/http/flood-guard.js';
import { dataHeaders, registerPages, type BuiltPages } from '../platform/http/pages.js';
import { problemOf, refusalOf } from '../platform/http/problems.js';
import { registerContract } from '../platform/http/register.js';

const isClientsFault = (error: unknown): boolean => {
  const { statusCode = 500 } = error as { readonly statusCode?: number };
  return !(error instanceof Refusal) && ((statusCode >= 400 && statusCode < 500) || error instanceof URIError);
};

function sendProblem(request: FastifyRequest, reply: FastifyReply, refusal: Refusal): FastifyReply {
  const language = acceptedLanguage(request.headers['accept-language']);
  const problem = problemOf(refusal, request.id, language);
  return reply
    .code(problem.status)
    .type('application/problem+json; charset=utf-8')
    .header('cache-control', 'no-store')
    .header('content-language', language)
    .send(JSON.stringify(problem));
}

/** What HTTP has a status of its own for (RFC 9110 §15.5.9, RFC 6585 §5). */
const STATUS_OF_BROKEN: Readonly<Record<string, number>> = {
  ERR_HTTP_REQUEST_TIMEOUT: 408,
  HPE_HEADER_OVERFLOW: 431,
};

/** Answers what is not even a request of HTTP, or has more of a head than is read, and closes the connection. */
const refuseConnection = (deps: Deps) => (error: NodeJS.ErrnoException, socket: Socket) => {
  if (error.code === 'ECONNRESET' || !socket.writable) return void socket.destroy();
  const meant = problemOf(new Refusal('malformed-request'), 'none', 'en');
  const problem = { ...meant, status: STATUS_OF_BROKEN[error.code ?? ''] ?? meant.status };
  const body = JSON.stringify(problem);
  const headers = {
    ...dataHeaders(deps),
    'content-type': 'application/problem+json; charset=utf-8',
    'content-length': String(Buffer.byteLength(body)),
    'cache-control': 'no-store',
    connection: 'close',
  };
  const head = Object.entries(headers).map(([name, value]) => `${name}: ${value}\r\n`);
  socket.end(`HTTP/1.1 ${problem.status} ${STATUS_CODES[problem.status]}\r\n${head.join('')}\r\n${body}`);
};

/** How long readiness may take to tell. */
const READY_MS = 2_000;

/** Whether this node is about to end. */
export interface Leaving {
  /** It still takes calls, and has balancers and those who are connected go elsewhere. */
  leaving: boolean;
}

/** Builds the HTTP service; listens to nothing. */
export async function buildApp(
  deps: Deps,
  { handlers, endpoints }: Served,
  built: BuiltPages,
  standing: Readonly<Leaving> = { leaving: false },
): Promise<FastifyInstance> {
  const { tls, trustedProxies } = deps.config;
  // Ids of requests only have to differ, over all processes.
  const process = deps.random(6).toString('base64url');
  let requests = 0;
  const app = Fastify({
    logger: false,
    bodyLimit: LIMITS.bodyBytes,
    trustProxy: trustedProxies.length > 0 ? [...trustedProxies] : false,
    requestTimeout: 30_000,
    routerOptions: { maxParamLength: 200 },
    // What is no address at all, or has parts that nothing here has, is answered as what is not there, in our own form.
    frameworkErrors: (_: unknown, request: FastifyRequest, reply: FastifyReply) =>
      void sendProblem(request, reply.headers(dataHeaders(deps)), new Refusal('not-found')),
    clientErrorHandler: refuseConnection(deps),
    exposeHeadRoutes: false,
    genReqId: () => `${process}${(requests++).toString(36)}`,
    ...(tls
      ? { https: { cert: readFileSync(tls.certFile), key: readFileSync(tls.keyFile), minVersion: 'TLSv1.2' as const } }
      : {}),
  } as object) as unknown as FastifyInstance;
  // JSON alone: a form or plain text could be sent by another site's page without the browser asking first.
  app.removeContentTypeParser('text/plain');
  await app.register(fastifyCookie);
  app.setErrorHandler(async (error, request, reply) => {
    const { routeId } = request.routeOptions.config;
    // Whatever the framework says of a path that is no call of ours: there is nothing there.
    const refusal =
      routeId === undefined && isClientsFault(error)
        ? new Refusal('not-found')
        : refusalOf(error, request.routeOptions.bodyLimit);
    if (refusal.code === 'internal' || refusal.code === 'unavailable')
      deps.log.error(
        { requestId: request.id, route: request.routeOptions.config.routeId, code: refusal.code, error },
        'request failed',
      );
    if (refusal.code === 'throttled') reply.header('retry-after', String(refusal.facts['seconds'] ?? 5));
    if (refusal.code === 'unavailable') {
      deps.pulse.lookNow();
      reply.header('retry-after', '1');
    }
    return sendProblem(request, reply, refusal);
  });
  app.addHook('onResponse', (request, reply, done) => {
    const route = request.routeOptions.config.routeId ?? 'page';
    deps.metrics.requests.observe({ route, status: String(reply.statusCode) }, reply.elapsedTime / 1000);
    if (deps.log.isLevelEnabled('info'))
      deps.log.info(
        {
          requestId: request.id,
          method: request.method,
          route,
          status: reply.statusCode,
          ms: Math.round(reply.elapsedTime * 10) / 10,
          origin: request.ip,
        },
        'request',
      );
    done();
  });
  app.get('/health/live', async () => ({ live: true }));
  app.addHook('onSend', (_request, reply, payload, done) => {
    if (standing.leaving) reply.header('connection', 'close');
    done(null, payload);
  });
  app.get('/health/ready', async (_, reply) => {
    if (standing.leaving) return reply.code(503).send({ ready: false, leaving: true });
    const ready = async () => {
      await selectOne(deps, 'SELECT 1 AS one');
      return (await pendingMigrations(deps.sequelize)).length === 0;
    };
    // Whoever asks has a deadline of their own, and takes no answer for a bad one.
    const inTime = await Promise.race([ready().catch(() => false), delay(READY_MS, false, { ref: false })]);
    if (!inTime) throw new Refusal('unavailable');
    return { ready: true };
  });
  const floods = new FloodGuard();
  registerContract(app, deps, handlers, new Gate(deps), floods);
  for (const register of endpoints) await register(app, deps, floods);
  await registerPages(app, deps, built);
  return app;
}
