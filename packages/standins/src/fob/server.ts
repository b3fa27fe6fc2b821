import Fastify, { type FastifyInstance } from 'fastify';
import { NoSuchFob, type FobDrawer } from './drawer.js';
import { PAGE, SCRIPT, STYLE } from './page.js';

/** A drawer of hardware tokens as a small web service on loopback. */
export function createFobs(drawer: FobDrawer, now: () => number): FastifyInstance {
  const app = Fastify({ bodyLimit: 4_096 });
  app.addHook('onSend', async (_, reply) => {
    reply.headers({
      'content-security-policy':
        "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; base-uri 'none'; frame-ancestors 'none'",
      'cache-control': 'no-store',
    });
  });
  app.get('/', async (_, reply) => reply.type('text/html; charset=utf-8').send(PAGE));
  app.get('/fob.css', async (_, reply) => reply.type('text/css').send(STYLE));
  app.get('/fob.js', async (_, reply) => reply.type('text/javascript').send(SCRIPT));
  app.get<{ Querystring: { find?: string } }>('/fobs', async ({ query }) => drawer.find(query.find ?? '', now()));
  app.post<{ Body: { serial?: unknown } | null }>('/press', async (request, reply) => {
    try {
      return drawer.press(typeof request.body?.serial === 'string' ? request.body.serial : '', now());
    } catch (error) {
      if (!(error instanceof NoSuchFob)) throw error;
      return await reply.code(404).send({ problem: error.message });
    }
  });
  return app;
}
