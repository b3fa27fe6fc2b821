import Fastify, { type FastifyInstance } from 'fastify';
import { PAGE, SCRIPT, STYLE } from './page.js';

/** How Vessel Traffic is registered. */
export interface TrafficConnection {
  readonly service: string;
  /** Where its own pages are; the origin from which keys may answer for it. */
  readonly address: string;
  /** The key of its connection; it never leaves this server. */
  readonly key: string;
}

const COOKIE = 'traffic';
/** What its pages can show. */
const CARRIES = ['password', 'code', 'webauthn'];

/**
 * A small application that asks for proofs on its own pages, over the HTTP interface, with nothing but `fetch`. What the browser says
 * is passed on as it is; what the service says is shown as it is.
 */
export function createTraffic({ service, address, key }: TrafficConnection): FastifyInstance {
  const app = Fastify({ bodyLimit: 65_536 });
  app.addHook('onSend', async (_, reply) => {
    reply.headers({
      'content-security-policy':
        "default-src 'none'; style-src 'self'; script-src 'self'; connect-src 'self'; base-uri 'none'; frame-ancestors 'none'",
      'cache-control': 'no-store',
      'referrer-policy': 'no-referrer',
    });
  });
  app.addHook('onRequest', async (request, reply) => {
    // Only its own pages may drive a sign-in.
    if (request.method === 'POST' && request.headers.origin !== address)
      await reply.code(403).send({ title: 'Not from here.' });
  });
  const ask = async (path: string, body: object) => {
    const answer = await fetch(`${service}/api/v1${path}`, {
      method: 'POST',
      headers: { authorization: `Bearer ${key}`, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    return { status: answer.status, json: (await answer.json()) as { id?: string } };
  };

  app.get('/', async (_, reply) => reply.type('text/html; charset=utf-8').send(PAGE));
  app.get('/traffic.js', async (_, reply) => reply.type('text/javascript; charset=utf-8').send(SCRIPT));
  app.get('/traffic.css', async (_, reply) => reply.type('text/css').send(STYLE));
  app.post('/offer', async (_, reply) => {
    const { status, json } = await ask('/sign-ins/offer', {});
    return reply.code(status).send(json);
  });
  app.post<{ Body: Record<string, unknown> }>('/begin', async ({ body }, reply) => {
    const { status, json } = await ask('/sign-ins', { ...body, carries: CARRIES });
    // The browser drives this one sign-in, and no other.
    if (json.id !== undefined) reply.header('set-cookie', `${COOKIE}=${json.id}; Path=/; HttpOnly; SameSite=Strict`);
    return reply.code(status).send(json);
  });
  app.post<{ Body: Record<string, unknown> }>('/answer', async ({ body, headers }, reply) => {
    const id = /(?:^|; )traffic=([\w-]+)/.exec(headers.cookie ?? '')?.[1] ?? 'none';
    const { status, json } = await ask(`/sign-ins/${id}/proofs`, body);
    return reply.code(status).send(json);
  });
  return app;
}
