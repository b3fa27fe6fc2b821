import { randomBytes } from 'node:crypto';
import Fastify, { type FastifyInstance, type FastifyReply, type FastifyRequest } from 'fastify';
import * as oidc from 'openid-client';
import { doorPage, planPage, STYLE } from './page.js';

/** How the planner is registered: once for whole sign-ins, and perhaps once more for the second step only. */
export interface PlannerClients {
  readonly issuer: string;
  /** Where the planner itself is. */
  readonly address: string;
  readonly whole: { readonly id: string; readonly secret: string };
  readonly secondStep?: { readonly id: string; readonly secret: string };
}

/** What the planner remembers between sending somebody away and their coming back. */
interface Waiting {
  readonly client: oidc.Configuration;
  readonly verifier: string;
  readonly state: string;
  readonly nonce: string;
  /** Whose password was checked here. */
  readonly name?: string;
}

interface Guest {
  readonly name: string;
  readonly facts: readonly (readonly [string, string])[];
  readonly client: oidc.Configuration;
  readonly idToken: string;
}

const COOKIE = 'planner';
/** The planner's own idea of a password. */
const OWN_PASSWORD = 'tide tables';
const KEPT = 1_000;

/** A small application that is connected by OpenID Connect through a general client package; everything in memory. */
export function createPlanner(clients: PlannerClients): FastifyInstance {
  const waiting = new Map<string, Waiting>();
  const guests = new Map<string, Guest>();
  const configurations = new Map<string, Promise<oidc.Configuration>>();
  const app = Fastify({ bodyLimit: 16_384 });
  app.addContentTypeParser('application/x-www-form-urlencoded', { parseAs: 'string' }, (_request, body, done) =>
    done(null, new URLSearchParams(body as string)),
  );
  app.addHook('onSend', async (_, reply) => {
    reply.headers({
      'content-security-policy': "default-src 'none'; style-src 'self'; base-uri 'none'; frame-ancestors 'none'",
      'cache-control': 'no-store',
      'referrer-policy': 'no-referrer',
    });
  });

  /** Read when somebody first needs it, so that the planner may start before the service. */
  async function configurationOf({ id, secret }: PlannerClients['whole']): Promise<oidc.Configuration> {
    const found =
      configurations.get(id) ??
      oidc.discovery(new URL(clients.issuer), id, undefined, oidc.ClientSecretBasic(secret), {
        // A demo on this machine has no certificate.
        execute: clients.issuer.startsWith('http:') ? [oidc.allowInsecureRequests] : [],
      });
    configurations.set(id, found);
    found.catch(() => configurations.delete(id));
    return await found;
  }

  const html = (reply: FastifyReply, text: string) => reply.type('text/html; charset=utf-8').send(text);
  const door = (reply: FastifyReply, trouble?: string) =>
    html(reply, doorPage(trouble, clients.secondStep !== undefined));
  const cookieOf = (request: FastifyRequest) =>
    /(?:^|; )planner=([\w-]+)/.exec(request.headers.cookie ?? '')?.[1] ?? '';

  async function send(reply: FastifyReply, registered: PlannerClients['whole'], name?: string): Promise<unknown> {
    const client = await configurationOf(registered);
    const verifier = oidc.randomPKCECodeVerifier();
    const parameters = {
      redirect_uri: `${clients.address}/signed-in`,
      scope: 'openid profile',
      code_challenge: await oidc.calculatePKCECodeChallenge(verifier),
      code_challenge_method: 'S256',
      state: oidc.randomState(),
      nonce: oidc.randomNonce(),
    };
    const url =
      name === undefined
        ? oidc.buildAuthorizationUrl(client, parameters)
        : // Whose password was checked is said from server to server; in the browser anybody could write it.
          await oidc.buildAuthorizationUrlWithPAR(client, {
            ...parameters,
            login_hint: name,
            password_checked: 'true',
          });
    const id = randomBytes(24).toString('base64url');
    waiting.set(id, { client, verifier, state: parameters.state, nonce: parameters.nonce, ...(name ? { name } : {}) });
    if (waiting.size > KEPT) waiting.delete(waiting.keys().next().value!);
    return reply.header('set-cookie', `${COOKIE}=${id}; Path=/; HttpOnly; SameSite=Lax`).redirect(url.href, 303);
  }

  app.get('/planner.css', async (_, reply) => reply.type('text/css').send(STYLE));
  app.get('/', async (request, reply) => {
    const guest = guests.get(cookieOf(request));
    return guest ? html(reply, planPage(guest)) : door(reply);
  });
  app.get('/sign-in', async (_, reply) => send(reply, clients.whole));
  app.post<{ Body: URLSearchParams }>('/own-password', async ({ body }, reply) => {
    const name = body.get('name') ?? '';
    if (!clients.secondStep || name === '' || body.get('password') !== OWN_PASSWORD)
      return door(reply.code(403), 'That is not the password of this planner.');
    return await send(reply, clients.secondStep, name);
  });
  app.get('/signed-in', async (request, reply) => {
    const id = cookieOf(request);
    const expected = waiting.get(id);
    waiting.delete(id);
    if (!expected) return door(reply.code(400), 'Nobody was sent to sign in from this browser, or too long ago.');
    try {
      const tokens = await oidc.authorizationCodeGrant(expected.client, new URL(request.url, clients.address), {
        pkceCodeVerifier: expected.verifier,
        expectedState: expected.state,
        expectedNonce: expected.nonce,
        idTokenExpected: true,
      });
      const claims = tokens.claims()!;
      const person = await oidc.fetchUserInfo(expected.client, tokens.access_token, claims.sub);
      const facts = Object.entries({ ...claims, ...person }).map(
        ([name, value]) => [name, JSON.stringify(value)] as const,
      );
      const guest = randomBytes(24).toString('base64url');
      guests.set(guest, {
        name: person.name ?? claims.sub,
        facts: expected.name === undefined ? facts : [['own password of', expected.name], ...facts],
        client: expected.client,
        idToken: tokens.id_token!,
      });
      if (guests.size > KEPT) guests.delete(guests.keys().next().value!);
      return await reply.header('set-cookie', `${COOKIE}=${guest}; Path=/; HttpOnly; SameSite=Lax`).redirect('/', 303);
    } catch (error) {
      const { error: code, error_description: why } = error as { error?: string; error_description?: string };
      return await door(
        reply.code(403),
        code === undefined
          ? `The answer was not believed: ${(error as Error).message}`
          : `Not signed in: ${why ?? code}.`,
      );
    }
  });
  app.get('/sign-out', async (request, reply) => {
    const guest = guests.get(cookieOf(request));
    guests.delete(cookieOf(request));
    if (!guest) return await reply.redirect('/', 303);
    const url = oidc.buildEndSessionUrl(guest.client, {
      id_token_hint: guest.idToken,
      post_logout_redirect_uri: `${clients.address}/`,
    });
    return await reply.redirect(url.href, 303);
  });
  return app;
}
