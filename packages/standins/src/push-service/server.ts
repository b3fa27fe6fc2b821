import { randomBytes } from 'node:crypto';
import type { AddressInfo } from 'node:net';
import { setTimeout as delay } from 'node:timers/promises';
import fastify, { type FastifyInstance } from 'fastify';
import { unwelcome } from './message.js';

/** What goes wrong, as it does with real ones. */
export interface Switches {
  /** Milliseconds until it answers. */
  slowMs: number;
  /** Takes messages, and delivers none. */
  lost: boolean;
  /** Answers this in place of taking anything: 404 and 410 say that the subscription has ended. */
  refuse: number | null;
  /** Takes none for so many seconds, and says so (429). */
  throttleSeconds: number | null;
}
export const NOTHING_WRONG: Switches = { slowMs: 0, lost: false, refuse: null, throttleSeconds: null };

/** A message that waits for its browser. */
export interface Kept {
  readonly id: string;
  /** Seconds for which it is kept. */
  readonly ttl: number;
  readonly urgency: string | null;
  readonly topic: string | null;
  /** In base64url. */
  readonly body: string;
}

interface Subscription {
  readonly key: string;
  readonly secret: string;
  kept: Kept[];
}

/**
 * A push service on loopback (RFC 8030): browsers subscribe, applications post, browsers fetch what came. How a browser subscribes and
 * fetches is nobody's business but its own in the RFC's world too; here it is plain HTTP.
 */
export function createPushService(now: () => Date): FastifyInstance & { readonly switches: Switches } {
  const app = fastify();
  const switches: Switches = { ...NOTHING_WRONG };
  const subscriptions = new Map<string, Subscription>();
  app.addContentTypeParser('application/octet-stream', { parseAs: 'buffer' }, (_, body, done) => done(null, body));
  const origin = () => `http://localhost:${(app.server.address() as AddressInfo).port}`;

  app.post<{ Body: { key: string } }>('/subscriptions', async (request, reply) => {
    const [id, secret] = [randomBytes(16).toString('base64url'), randomBytes(16).toString('base64url')];
    subscriptions.set(id, { key: request.body.key, secret, kept: [] });
    return await reply
      .code(201)
      .send({ endpoint: `${origin()}/push/${id}`, messages: `${origin()}/messages/${id}/${secret}` });
  });

  app.post<{ Params: { id: string }; Body: Buffer }>('/push/:id', async (request, reply) => {
    if (switches.slowMs > 0) await delay(switches.slowMs);
    if (switches.refuse !== null) return await reply.code(switches.refuse).send();
    if (switches.throttleSeconds !== null)
      return await reply.code(429).header('retry-after', switches.throttleSeconds).send();
    const subscription = subscriptions.get(request.params.id);
    if (!subscription) return await reply.code(404).send();
    const { authorization, ttl, urgency, topic, 'content-encoding': encoding } = request.headers;
    const why = unwelcome(authorization, subscription.key, origin(), Math.floor(now().getTime() / 1_000));
    if (why) return await reply.code(why === 'no-authorization' ? 401 : 403).send({ why });
    if (typeof ttl !== 'string' || !/^\d+$/.test(ttl) || encoding !== 'aes128gcm') return await reply.code(400).send();
    if (request.body.length > 4_096) return await reply.code(413).send();
    const id = randomBytes(8).toString('base64url');
    const one = (value: string | string[] | undefined) => (typeof value === 'string' ? value : null);
    const message = {
      id,
      ttl: Number(ttl),
      urgency: one(urgency),
      topic: one(topic),
      body: request.body.toString('base64url'),
    };
    // A later message of a topic takes the place of the one before (§5.4).
    if (!switches.lost)
      subscription.kept = [
        ...subscription.kept.filter((other) => message.topic === null || other.topic !== message.topic),
        message,
      ];
    return await reply.code(201).header('location', `${origin()}/message/${id}`).send();
  });

  app.get<{ Params: { id: string; secret: string } }>('/messages/:id/:secret', async (request, reply) => {
    const subscription = subscriptions.get(request.params.id);
    if (subscription?.secret !== request.params.secret) return await reply.code(404).send();
    const { kept } = subscription;
    subscription.kept = [];
    return await reply.header('cache-control', 'no-store').send({ messages: kept });
  });
  app.delete<{ Params: { id: string; secret: string } }>('/messages/:id/:secret', async (request, reply) => {
    if (subscriptions.get(request.params.id)?.secret === request.params.secret) subscriptions.delete(request.params.id);
    return await reply.code(204).send();
  });
  app.put<{ Body: Partial<Switches> }>('/switches', async (request) => Object.assign(switches, request.body));
  return Object.assign(app, { switches });
}
