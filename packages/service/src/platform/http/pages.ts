import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fastifyStatic from '@fastify/static';
import { buildOpenApi } from '@nimble-latch/api/openapi';
import type { FastifyInstance } from 'fastify';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { DOCS_STYLE, docsPage } from './docs-page.js';

/** What every answer carries. */
function headersOfAll(deps: Deps): Record<string, string> {
  return {
    'x-content-type-options': 'nosniff',
    'referrer-policy': 'no-referrer',
    'cross-origin-resource-policy': 'same-origin',
    ...(deps.config.publicUrl.protocol === 'https:' ? { 'strict-transport-security': 'max-age=31536000' } : {}),
  };
}

/** What every answer that is no page carries. */
export const dataHeaders = (deps: Deps): Record<string, string> => ({
  ...headersOfAll(deps),
  'content-security-policy': DATA_POLICY,
});

/** Data is not a page: nothing in it may run, load or be framed, should a browser ever show it. */
const DATA_POLICY = "default-src 'none'; frame-ancestors 'none'";

/**
 * The policy of pages. Scripts and styles come from this origin only; styled-components fills one style element, which
 * its nonce lets through.
 */
function pagePolicy(nonce: string | undefined): string {
  const style = nonce ? `'self' 'nonce-${nonce}'` : "'self'";
  return (
    `default-src 'none'; script-src 'self'; style-src ${style}; img-src 'self' data:; font-src 'self'; connect-src 'self'; ` +
    "base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
  );
}

/** For what no cookie opens: a page of any origin may read it. */
const FOR_ANY_ORIGIN = {
  'access-control-allow-origin': '*',
  'cross-origin-resource-policy': 'cross-origin',
};

const PAGE_HEADERS = {
  'cross-origin-opener-policy': 'same-origin',
  'permissions-policy': 'camera=(), microphone=(), geolocation=()',
};

/** Pages for everybody, which are no part of the console. */
const SIGN_IN_PAGES: ReadonlySet<string> = new Set(['/sign-in', '/signed-in', '/enrol', '/reset-password']);
const pathOf = (url: string): string => url.split('?')[0]!;

/**
 * The path and query of a request as a path of this origin, and nothing else: what another reader would take for the address of
 * another host (`//host`, `/\\host`) or breaks a header is none. Undefined where it is none.
 */
export function pathHere(url: string): string | undefined {
  return /^\/(?![/\\])[\x21-\x5b\x5d-\x7e]*$/.test(url) ? url : undefined;
}

/** The console's files, the description of the interface, and the headers of everything. */
export async function registerPages(app: FastifyInstance, deps: Deps, consoleDir: string): Promise<void> {
  const all = headersOfAll(deps);
  const ofData = dataHeaders(deps);
  const ofPages = { ...all, ...PAGE_HEADERS };
  app.addHook('onSend', (request, reply, payload, done) => {
    const { routeId, data: isData, anyOrigin } = request.routeOptions.config;
    const data = routeId !== undefined || isData === true;
    if (anyOrigin) reply.headers(FOR_ANY_ORIGIN);
    reply.headers(
      data
        ? ofData
        : {
            ...ofPages,
            'content-security-policy': pagePolicy((request as { styleNonce?: string }).styleNonce),
          },
    );
    done(null, payload);
  });
  const openapi = JSON.stringify(buildOpenApi(deps.config.publicUrl.origin, deps.version));
  app.get('/api/v1/openapi.json', async (_, reply) => reply.type('application/json').send(openapi));
  const docs = docsPage();
  app.get('/api/docs', async (_, reply) => reply.type('text/html; charset=utf-8').send(docs));
  app.get('/api/docs.css', async (_, reply) => reply.type('text/css; charset=utf-8').send(DOCS_STYLE));

  const indexFile = join(consoleDir, 'index.html');
  if (!existsSync(indexFile)) {
    app.setNotFoundHandler(() => {
      throw new Refusal('not-found');
    });
    return;
  }
  const index = readFileSync(indexFile, 'utf8');
  const signIn = readFileSync(join(consoleDir, 'sign-in.html'), 'utf8');
  await app.register(fastifyStatic, {
    root: join(consoleDir, 'assets'),
    prefix: '/assets/',
    immutable: true,
    maxAge: '365d',
    index: false,
  });
  app.setNotFoundHandler(async (request, reply) => {
    const wantsPage =
      request.method === 'GET' &&
      !request.url.startsWith('/api/') &&
      (request.headers.accept ?? '').includes('text/html');
    if (!wantsPage) throw new Refusal('not-found');
    // Under another name of this host the session cookie and the origin check would not fit.
    if (request.host !== deps.config.publicUrl.host) {
      const path = pathHere(request.url);
      if (path === undefined) throw new Refusal('not-found');
      return reply.redirect(`${deps.config.publicUrl.origin}${path}`);
    }
    const nonce = deps.random(16).toString('base64url');
    (request as { styleNonce?: string }).styleNonce = nonce;
    return reply
      .type('text/html; charset=utf-8')
      .header('cache-control', 'no-store')
      .send(
        (SIGN_IN_PAGES.has(pathOf(request.url)) ? signIn : index).replace(
          '<head>',
          `<head><meta property="csp-nonce" nonce="${nonce}" content="${nonce}">`,
        ),
      );
  });
}
