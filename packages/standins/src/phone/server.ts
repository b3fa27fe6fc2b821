import Fastify, { type FastifyInstance } from 'fastify';
import { BadPicture, codeAt, readPicture, type Account } from './code.js';
import { PAGE, SCRIPT, STYLE } from './page.js';

/** A phone as a small web service on loopback; everything in memory. */
export function createPhone(now: () => number): FastifyInstance {
  const accounts: Account[] = [];
  let offSeconds = 0;
  const app = Fastify({ bodyLimit: 16_384 });
  app.addHook('onSend', async (_, reply) => {
    reply.headers({
      'content-security-policy':
        "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; base-uri 'none'; frame-ancestors 'none'",
      'cache-control': 'no-store',
    });
  });
  app.get('/', async (_, reply) => reply.type('text/html; charset=utf-8').send(PAGE));
  app.get('/phone.css', async (_, reply) => reply.type('text/css').send(STYLE));
  app.get('/phone.js', async (_, reply) => reply.type('text/javascript').send(SCRIPT));
  app.get('/codes', async () =>
    accounts.map((account) => ({
      issuer: account.issuer,
      name: account.name,
      ...codeAt(account, now() + offSeconds * 1000),
    })),
  );
  app.post<{ Body: { uri?: unknown } | null }>('/accounts', async (request, reply) => {
    try {
      // What was added last is what somebody looks for: it stands on top.
      accounts.unshift(readPicture(typeof request.body?.uri === 'string' ? request.body.uri : ''));
      return { count: accounts.length };
    } catch (error) {
      if (!(error instanceof BadPicture) && !(error instanceof URIError)) throw error;
      return await reply.code(400).send({
        problem: `This picture cannot be used: ${error instanceof BadPicture ? error.message : 'its label is garbled'}.`,
      });
    }
  });
  app.post<{ Body: { offSeconds?: unknown } | null }>('/clock', async (request, reply) => {
    const off = Number(request.body?.offSeconds);
    if (!Number.isFinite(off) || Math.abs(off) > 86_400)
      return await reply.code(400).send({ problem: 'Give seconds, at most a day either way.' });
    offSeconds = off;
    return { offSeconds };
  });
  return app;
}
