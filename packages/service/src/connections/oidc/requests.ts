import { backWithError, readRequest, single, type Parameters } from '@nimble-latch/core/oidc';
import { LANGUAGES } from '@nimble-latch/api';
import type { Id, Claim } from '@nimble-latch/core/vocabulary';
import { decodeProtectedHeader, jwtVerify } from 'jose';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { newId, storedId } from '../../platform/ids.js';
import { findClient, type RegisteredClient } from './clients.js';
import { issuerOf } from './finish.js';
import { openFromPage, sealForPage, type SealedRequest } from '../../platform/http/page-seals.js';
import { TokenRefusal } from './token.js';

/** RFC 9126 §2.2: a reference to what was pushed, for so many seconds. */
const PUSHED_SECONDS = 90;
const PUSHED_PREFIX = 'urn:ietf:params:oauth:request_uri:';

/** The person whom an ID token of ours names, however old it is; undefined where it is not ours, or was another client's. */
export async function personOfHint(
  deps: Deps,
  hint: string | undefined,
  clientId: string | undefined,
): Promise<{ person: Id; clientId: Id } | undefined> {
  if (hint === undefined || hint.length > 4_000) return undefined;
  try {
    const { kid } = decodeProtectedHeader(hint);
    const key = kid === undefined ? undefined : await deps.signing.known(kid);
    if (!key) return undefined;
    const { payload } = await jwtVerify(hint, key, {
      issuer: issuerOf(deps),
      algorithms: ['RS256', 'ES256'],
      ...(clientId === undefined ? {} : { audience: clientId }),
      // A hint says who, not that anybody is signed in: an old one serves (OpenID Connect Core §3.1.2.1).
      currentDate: new Date(0),
    });
    const { sub, aud } = payload;
    // Signed by us, so written as we write ids.
    return typeof sub === 'string' && typeof aud === 'string'
      ? { person: storedId(sub), clientId: storedId(aud) }
      : undefined;
  } catch {
    return undefined;
  }
}

/** A request that is right, made ready to be carried through the browser. */
async function ready(
  deps: Deps,
  client: RegisteredClient,
  { idTokenHint, ...request }: Exclude<ReturnType<typeof readRequest>, { kind: string }>,
  once: Id | undefined,
): Promise<SealedRequest> {
  const ignored: Claim[] =
    request.passwordChecked && !client.claims.includes('password-checked') ? ['password-checked'] : [];
  const hinted = await personOfHint(deps, idTokenHint, client.id);
  return {
    ...request,
    passwordChecked: request.passwordChecked && ignored.length === 0,
    // Who is named by a token that is not ours is nobody: no one who signs in is them.
    hintPerson: idTokenHint === undefined ? undefined : (hinted?.person ?? 'nobody'),
    ignoredClaims: ignored,
    once,
  };
}

/**
 * Where the browser goes with an authorization request: to our page with the request sealed in its fragment, back to the
 * application with an error, or to our page with what is wrong where nobody may be sent back.
 */
export async function whereToWith(deps: Deps, parameters: Parameters): Promise<string> {
  const client = await findClient(deps, single(parameters, 'client_id'));
  const reference = single(parameters, 'request_uri');
  if (reference !== undefined && client) {
    if (!reference.startsWith(PUSHED_PREFIX)) return '/sign-in#problem=request';
    try {
      const pushed = await openFromPage(deps, 'pushed', reference.slice(PUSHED_PREFIX.length));
      if (pushed.clientId !== client.id) return '/sign-in#problem=client';
      return pageFor(deps, pushed);
    } catch (error) {
      if (error instanceof Refusal) return '/sign-in#problem=request';
      throw error;
    }
  }
  const read = readRequest(parameters, client, false);
  if ('kind' in read)
    return read.kind === 'page'
      ? problemPage(deps, read.problem, parameters)
      : backWithError(read.to, read.error, read.description, issuerOf(deps));
  return pageFor(deps, await ready(deps, client!, read, undefined));
}

/** What our page shows of a client or an address that was sent: more than that is not needed to find the mistake. */
const SHOWN_CHARS = 200;

/**
 * Our page with what is wrong. The client and the address are said as the browser sent them, which its own line of addresses shows as
 * well: whoever looks after the application finds the mistake by them. What is registered instead is said to nobody.
 */
function problemPage(deps: Deps, problem: 'client' | 'redirect-uri', parameters: Parameters): string {
  const [client, address] = ['client_id', 'redirect_uri'].map((name) =>
    single(parameters, name)?.slice(0, SHOWN_CHARS),
  );
  deps.log.warn(
    { problem, client, address },
    'a request to sign in names a client or an address that is not registered',
  );
  const said = new URLSearchParams({ problem, ...(client ? { client } : {}), ...(address ? { address } : {}) });
  return `/sign-in#${said.toString()}`;
}

/** Our page, in the language that the application wishes where we speak it. */
function pageFor(deps: Deps, request: SealedRequest): string {
  const language = request.languages.map((one) => one.toLowerCase().split('-')[0]).find((one) => isLanguage(one));
  return `/sign-in${language === undefined ? '' : `?language=${language}`}#${sealForPage(deps, 'sign-in', request)}`;
}

const isLanguage = (tag: string | undefined): boolean => tag !== undefined && Object.hasOwn(LANGUAGES, tag);

/** The application has said who it is: it may read what it sent. */
const notRegistered = (problem: 'client' | 'redirect-uri', parameters: Parameters): string =>
  problem === 'client'
    ? 'client_id is not that of the client that sent this'
    : `redirect_uri ${printable(single(parameters, 'redirect_uri') ?? '')} is not one that is registered for this client`;

/** What an `error_description` may hold (RFC 6749 §5.2). */
const printable = (text: string): string => text.slice(0, SHOWN_CHARS).replace(/["\\]|[^\x20-\x7e]/g, '?');

/** Takes a request from an application itself, RFC 9126 §2. Good for one sign-in. */
export async function pushRequest(
  deps: Deps,
  client: RegisteredClient,
  parameters: Parameters,
): Promise<Readonly<Record<string, unknown>>> {
  if (single(parameters, 'request_uri') !== undefined)
    throw new TokenRefusal('invalid_request', 'request_uri cannot be pushed');
  // The client has said who it is already; RFC 9126 §2.1 asks for client_id all the same.
  const named = parameters.some(([name]) => name === 'client_id')
    ? parameters
    : ([...parameters, ['client_id', client.id]] as Parameters);
  const read = readRequest(named, client, true);
  if ('kind' in read) {
    if (read.kind === 'page') throw new TokenRefusal('invalid_request', notRegistered(read.problem, named));
    throw new TokenRefusal('invalid_request', read.description);
  }
  const request = await ready(deps, client, read, newId(deps));
  return {
    request_uri: `${PUSHED_PREFIX}${sealForPage(deps, 'pushed', request, PUSHED_SECONDS * 1000)}`,
    expires_in: PUSHED_SECONDS,
    // Ours: what the application claimed and is not believed.
    ...(request.ignoredClaims.length > 0 ? { ignored_claims: request.ignoredClaims } : {}),
  };
}

/** Where the browser goes to sign out, OpenID Connect RP-Initiated Logout 1.0 §2: to our page, which asks. */
export async function whereToEnd(deps: Deps, parameters: Parameters): Promise<string> {
  const get = (name: string) => single(parameters, name);
  const hinted = await personOfHint(deps, get('id_token_hint'), get('client_id'));
  const client = await findClient(deps, get('client_id') ?? hinted?.clientId);
  const address = get('post_logout_redirect_uri');
  const redirect = address !== undefined && client?.endUris.includes(address) ? address : undefined;
  return `/signed-in#end=${sealForPage(deps, 'sign-out', { redirect, state: redirect === undefined ? undefined : get('state')?.slice(0, 2_000) })}`;
}
