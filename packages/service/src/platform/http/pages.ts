import { existsSync, readFileSync } from 'node:fs';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { join } from 'node:path';
import fastifyStatic from '@fastify/static';
import { buildOpenApi } from '@nimble-latch/api/openapi';
import type { FastifyInstance, FastifyReply } from 'fastify';
import helmet from 'helmet';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { DOCS_STYLE, docsPage } from './docs-page.js';

type Policy = Readonly<Record<string, readonly string[]>>;

/**
 * Headers of the kept package, made once and not for each request (the framework's plugin builds its chain anew for each, which a
 * sign-in of a few milliseconds would notice): what it would set is noted, and set with the rest of the answer.
 */
function headersWith(
  deps: Deps,
  directives: Policy,
  more: Readonly<Record<string, string>> = {},
): Record<string, string> {
  const noted: Record<string, string> = {};
  const answer = {
    setHeader: (name: string, value: string) => (noted[name.toLowerCase()] = value),
    removeHeader: () => undefined,
  };
  helmet({
    contentSecurityPolicy: { useDefaults: false, directives },
    strictTransportSecurity:
      deps.config.publicUrl.protocol === 'https:' ? { maxAge: YEAR_SECONDS, includeSubDomains: false } : false,
    xFrameOptions: { action: 'deny' },
  })({} as IncomingMessage, answer as unknown as ServerResponse, (error) => {
    if (error !== undefined) throw new Error('headers could not be made', { cause: error });
  });
  return { ...noted, ...more };
}

const YEAR_SECONDS = 31_536_000;

/** Data is not a page: nothing in it may run, load or be framed, should a browser ever show it. */
const DATA_POLICY: Policy = { 'default-src': ["'none'"], 'frame-ancestors': ["'none'"] };

/** What every answer that is no page carries. */
export const dataHeaders = (deps: Deps): Record<string, string> => headersWith(deps, DATA_POLICY);

/**
 * The policy of pages. Scripts and styles come from this origin only; styled-components fills one style element, which
 * its nonce lets through.
 */
const pagePolicy = (style: readonly string[]): Policy => ({
  'default-src': ["'none'"],
  'script-src': ["'self'"],
  'style-src': ["'self'", ...style],
  'img-src': ["'self'", 'data:'],
  'font-src': ["'self'"],
  'connect-src': ["'self'"],
  'base-uri': ["'none'"],
  'form-action': ["'none'"],
  'frame-ancestors': ["'none'"],
});

/** The policy of the page on a phone, which has its styles in a file of its own. */
const POCKET_POLICY: Policy = {
  'default-src': ["'none'"],
  'script-src': ["'self'"],
  'style-src': ["'self'"],
  'img-src': ["'self'"],
  'connect-src': ["'self'"],
  'manifest-src': ["'self'"],
  'base-uri': ["'none'"],
  'form-action': ["'none'"],
  'frame-ancestors': ["'none'"],
};
const POCKET = '/pocket/';

/** For what no cookie opens: a page of any origin may read it. */
const FOR_ANY_ORIGIN = {
  'access-control-allow-origin': '*',
  'cross-origin-resource-policy': 'cross-origin',
};

/** What pages may ask the browser for; the package has no say in it. */
const PAGE_HEADERS = { 'permissions-policy': 'camera=(), microphone=(), geolocation=()' };

/** Pages for everybody, which are no part of the console. */
const SIGN_IN_PAGES: ReadonlySet<string> = new Set(['/sign-in', '/signed-in', '/enrol', '/reset-password', '/not-me']);
const pathOf = (url: string): string => url.split('?')[0]!;

/**
 * The path and query of a request as a path of this origin, and nothing else: what another reader would take for the address of
 * another host (`//host`, `/\\host`) or breaks a header is none. Undefined where it is none.
 */
export function pathHere(url: string): string | undefined {
  return /^\/(?![/\\])[\x21-\x5b\x5d-\x7e]*$/.test(url) ? url : undefined;
}

/** Where the built pages lie. */
export interface BuiltPages {
  readonly console: string;
  /** Of the page on a phone that approves. */
  readonly pocket: string;
}

/** What takes a third of a second to make is made when somebody asks for it, and kept: a start need not wait for it. */
function madeOnce(make: () => string): () => string {
  let made: string | undefined;
  return () => (made ??= make());
}

/** Which page on phones a node serves, by the name of its script. */
const phonePages = new WeakMap<object, string>();
export const phonePageOf = (deps: Deps): string | null => phonePages.get(deps) ?? null;

/** The console's files, the description of the interface, and the headers of everything. */
export async function registerPages(app: FastifyInstance, deps: Deps, built: BuiltPages): Promise<void> {
  const { console: consoleDir, pocket: pocketDir } = built;
  const ofData = dataHeaders(deps);
  const ofPages = headersWith(deps, pagePolicy([]), PAGE_HEADERS);
  const ofPocket = headersWith(deps, POCKET_POLICY, PAGE_HEADERS);
  app.addHook('onSend', (request, reply, payload, done) => {
    const { routeId, data: isData, anyOrigin } = request.routeOptions.config;
    const { styleNonce } = request as { styleNonce?: string };
    if (routeId !== undefined || isData === true) reply.headers(ofData);
    else if (request.url.startsWith(POCKET)) reply.headers(ofPocket);
    else if (styleNonce === undefined) reply.headers(ofPages);
    else reply.headers(headersWith(deps, pagePolicy([`'nonce-${styleNonce}'`]), PAGE_HEADERS));
    if (anyOrigin) reply.headers(FOR_ANY_ORIGIN);
    done(null, payload);
  });
  const openapi = madeOnce(() => JSON.stringify(buildOpenApi(deps.config.publicUrl.origin, deps.version)));
  app.get('/api/v1/openapi.json', async (_, reply) => reply.type('application/json').send(openapi()));
  const docs = madeOnce(docsPage);
  app.get('/api/docs', async (_, reply) => reply.type('text/html; charset=utf-8').send(docs()));
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
    // Beside each file lies what the build compressed of it.
    preCompressed: true,
    immutable: true,
    maxAge: '365d',
    index: false,
  });
  const pocket = readFileSync(join(pocketDir, 'index.html'), 'utf8');
  phonePages.set(deps, /\/assets\/index-([\w-]+)\.js/.exec(pocket)![1]!);
  // Nothing secret is in it: what a link carries stands behind the number sign, and no request has it.
  const sendPocket = async (_: unknown, reply: FastifyReply) =>
    await reply.type('text/html; charset=utf-8').header('cache-control', 'no-store').send(pocket);
  app.get(POCKET, sendPocket);
  await app.register(fastifyStatic, {
    root: pocketDir,
    prefix: POCKET,
    index: false,
    decorateReply: false,
    maxAge: '1h',
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
