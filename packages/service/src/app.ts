import fastifyCookie from '@fastify/cookie';
import { acceptedLanguage, LIMITS } from '@nimble-latch/api';
import Fastify, { type FastifyInstance } from 'fastify';
import { readFileSync } from 'node:fs';
import { setTimeout as delay } from 'node:timers/promises';
import { pendingMigrations } from './db/migrate.js';
import { selectOne } from './db/sql.js';
import type { Deps } from './deps.js';
import { Refusal } from './errors.js';
import { HANDLERS } from './handlers.js';
import { FloodGuard } from './http/flood-guard.js';
import { registerPages } from './http/pages.js';
import { problemOf, refusalOf } from './http/problems.js';
import { registerContract } from './http/register.js';
import { registerRelatedOrigins } from './relying-party/related-origins.js';
import { registerOidc } from './oidc/endpoints.js';

/** How long readiness may take to tell. */
const READY_MS = 2_000;

/** Builds the HTTP service; listens to nothing. */
export async function buildApp(deps: Deps, consoleDir: string): Promise<FastifyInstance> {
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
    const refusal = refusalOf(error, request.routeOptions.bodyLimit);
    const problem = problemOf(refusal, request.id, acceptedLanguage(request.headers['accept-language']));
    if (refusal.code === 'internal' || refusal.code === 'unavailable')
      deps.log.error(
        { requestId: request.id, route: request.routeOptions.config.routeId, code: refusal.code, error },
        'request failed',
      );
    if (refusal.code === 'throttled') reply.header('retry-after', String(refusal.facts['seconds'] ?? 5));
    if (refusal.code === 'unavailable') reply.header('retry-after', '1');
    return reply
      .code(problem.status)
      .type('application/problem+json; charset=utf-8')
      .header('cache-control', 'no-store')
      .header('content-language', acceptedLanguage(request.headers['accept-language']))
      .send(JSON.stringify(problem));
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
  app.get('/health/ready', async () => {
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
  registerContract(app, deps, HANDLERS, floods);
  await registerOidc(app, deps, floods);
  registerRelatedOrigins(app, deps);
  await registerPages(app, deps, consoleDir);
  return app;
}
