import { single, REQUEST_CHARS, type Parameters } from '@nimble-latch/core/oidc';
import { ACR_VALUES, RELEASES, TOKEN_ALGORITHMS } from '@nimble-latch/core/vocabulary';
import { LANGUAGES } from '@nimble-latch/api';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { PAGE_CALLS_PER_MINUTE, type FloodGuard } from '../../platform/http/flood-guard.js';
import { authenticateClient, basicCredentials, type RegisteredClient } from './clients.js';
import { issuerOf } from './finish.js';
import { pushRequest, whereToEnd, whereToWith } from './requests.js';
import { redeemCode, claimsOfPerson, TokenRefusal } from './token.js';

/** OpenID Connect Discovery 1.0 §3. */
function discovery(issuer: string) {
  return {
    issuer,
    authorization_endpoint: `${issuer}/oidc/authorize`,
    pushed_authorization_request_endpoint: `${issuer}/oidc/push`,
    token_endpoint: `${issuer}/oidc/token`,
    userinfo_endpoint: `${issuer}/oidc/userinfo`,
    jwks_uri: `${issuer}/oidc/keys`,
    end_session_endpoint: `${issuer}/oidc/end`,
    scopes_supported: ['openid', ...RELEASES],
    response_types_supported: ['code'],
    response_modes_supported: ['query'],
    grant_types_supported: ['authorization_code'],
    acr_values_supported: ACR_VALUES,
    subject_types_supported: ['public'],
    id_token_signing_alg_values_supported: TOKEN_ALGORITHMS,
    token_endpoint_auth_methods_supported: ['client_secret_basic', 'client_secret_post', 'none'],
    claims_supported: [
      ...['iss', 'sub', 'aud', 'exp', 'iat', 'auth_time', 'nonce', 'acr', 'amr', 'act'],
      ...['name', 'preferred_username', 'locale', 'zoneinfo', 'updated_at', 'email', 'groups'],
    ],
    ui_locales_supported: Object.keys(LANGUAGES),
    code_challenge_methods_supported: ['S256'],
    claims_parameter_supported: false,
    request_parameter_supported: false,
    request_uri_parameter_supported: false,
    authorization_response_iss_parameter_supported: true,
    prompt_values_supported: ['none', 'login', 'consent', 'select_account'],
  };
}

const FORM = 'application/x-www-form-urlencoded';
/** Bytes of a form: the longest request, with every character escaped. */
const FORM_BYTES = 3 * REQUEST_CHARS + 4_000;

/** The parameters of a request, as often as each is there. */
function parametersOf(request: FastifyRequest): Parameters {
  if (request.method === 'POST') return Array.isArray(request.body) ? (request.body as Parameters) : [];
  const at = request.url.indexOf('?');
  return at < 0 ? [] : [...new URLSearchParams(request.url.slice(at + 1))];
}

/**
 * The endpoints of OpenID Connect: those that a browser is sent to only ever send it on, and change nothing; those that an
 * application calls itself answer in the form of RFC 6749. None of them looks at a cookie.
 */
export async function registerOidc(root: FastifyInstance, deps: Deps, floods: FloodGuard): Promise<void> {
  const issuer = issuerOf(deps);
  await root.register(async (app) => {
    app.addContentTypeParser(FORM, { parseAs: 'string', bodyLimit: FORM_BYTES }, (_request, body, done) =>
      done(null, [...new URLSearchParams(body as string)]),
    );
    app.addHook('onRequest', async (request, reply) => {
      // Applications call from one address for all their people; of them only what is refused is counted.
      if (!request.routeOptions.config.anyOrigin) floods.assertCalm(request.ip, deps.now(), PAGE_CALLS_PER_MINUTE);
      reply.header('cache-control', 'no-store');
    });
    // Browsers are sent by a link or by a form.
    for (const [url, whereTo] of [
      ['/oidc/authorize', whereToWith],
      ['/oidc/end', whereToEnd],
    ] as const)
      app.route({
        method: ['GET', 'POST'],
        url,
        config: { data: true },
        handler: async (request, reply) => reply.redirect(await whereTo(deps, parametersOf(request)), 303),
      });

    // What anybody may read, and what is shown for a secret of its own and no cookie, any page may ask for.
    const open = { config: { data: true, anyOrigin: true } };
    for (const path of ['/.well-known/openid-configuration', '/.well-known/oauth-authorization-server'])
      app.get(path, open, async (_, reply) => reply.header('cache-control', 'max-age=300').send(discovery(issuer)));
    app.get('/oidc/keys', open, async (_, reply) =>
      reply.header('cache-control', 'max-age=300').send({ keys: await deps.signing.published(deps.now()) }),
    );
    app.post('/oidc/token', open, async (request, reply) =>
      answering(deps, floods, request, reply, async () => {
        const client = await clientOf(deps, request);
        return await redeemCode(deps, client, parametersOf(request), request.ip);
      }),
    );
    app.post('/oidc/push', open, async (request, reply) =>
      answering(deps, floods, request, reply.code(201), async () => {
        const client = await clientOf(deps, request);
        return await pushRequest(
          deps,
          client,
          parametersOf(request).filter(([name]) => name !== 'client_secret'),
        );
      }),
    );
    app.route({
      method: ['GET', 'POST'],
      url: '/oidc/userinfo',
      ...open,
      handler: async (request, reply) =>
        answering(deps, floods, request, reply, async () => await claimsOfPerson(deps, request.headers.authorization)),
    });
    for (const path of ['/oidc/token', '/oidc/userinfo'])
      app.options(path, open, async (_, reply) =>
        reply
          .code(204)
          .header('access-control-allow-methods', 'GET, POST')
          .header('access-control-allow-headers', 'authorization, content-type')
          .send(),
      );
  });
}

/** The client behind a call of its own. Throws `invalid_client`. */
async function clientOf(deps: Deps, request: FastifyRequest): Promise<RegisteredClient> {
  const parameters = parametersOf(request);
  const basic = basicCredentials(request.headers.authorization);
  const posted = { clientId: single(parameters, 'client_id'), secret: single(parameters, 'client_secret') };
  // RFC 6749 §2.3: one method at a time, and one client.
  const two = basic && (posted.secret !== undefined || (posted.clientId ?? basic.clientId) !== basic.clientId);
  const client = two ? undefined : await authenticateClient(deps, basic ?? posted);
  if (!client) throw new TokenRefusal('invalid_client', 'client_id and client_secret are not those of a client');
  return client;
}

const STATUS: Partial<Record<TokenRefusal['error'], number>> = {
  invalid_client: 401,
  invalid_token: 401,
  temporarily_unavailable: 503,
};

async function answering(
  deps: Deps,
  floods: FloodGuard,
  request: FastifyRequest,
  reply: FastifyReply,
  work: () => Promise<Readonly<Record<string, unknown>>>,
): Promise<FastifyReply> {
  try {
    return await reply.send(await work());
  } catch (error) {
    if (error instanceof TokenRefusal) {
      floods.assertCalm(request.ip, deps.now());
      if (error.error === 'invalid_client') reply.header('www-authenticate', 'Basic realm="nimble-latch"');
      if (error.error === 'invalid_token') reply.header('www-authenticate', 'Bearer error="invalid_token"');
      deps.log.info({ error: error.error, description: error.description }, 'a client was refused');
      return reply.code(STATUS[error.error] ?? 400).send({ error: error.error, error_description: error.description });
    }
    if (error instanceof Refusal && error.code === 'request-gone')
      return reply.code(400).send({ error: 'invalid_request' });
    throw error;
  }
}
