import type { Id } from '@nimble-latch/core/vocabulary';
import type { Answer } from '@nimble-latch/api';
import { offersReset } from '@nimble-latch/core/methods';
import { backWithError, neededFor } from '@nimble-latch/core/oidc';
import { promptOf, type ProofDone } from '@nimble-latch/core/signin';
import {
  acquaintance,
  BROWSER_COOKIE,
  labelOf,
  meetBrowser,
  readBrowser,
  rememberBrowser,
} from '../../areas/browsers/browsers.js';
import {
  BROWSER_SESSION_COOKIE,
  keepBrowserSession,
  readBrowserSession,
  type BrowserSession,
} from '../../areas/browsers/sessions.js';
import { write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Call, Handler, SetCookie } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { findClient, type RegisteredClient } from './clients.js';
import { grantCode, issuerOf } from './finish.js';
import { openFromPage, type SealedRequest } from '../../platform/http/page-seals.js';
import { takesKeys } from '../../areas/keyring/relying-party.js';
import { pagePromptKinds } from '../../areas/rulebook/prompt-kinds.js';
import { prepareSignIn, type Place } from '../../areas/signins/begin.js';
import { handleOf, isHandle } from '../../areas/signins/handle.js';
import { assertKeyRight, keyRefusal, beginWith, whoBegins } from '../../areas/signins/nameless.js';
import { prove } from '../../areas/signins/proofs/index.js';
import { shownAtPage } from '../../areas/signins/key-prompt.js';
import { takeStepBehindLocks } from '../../areas/signins/steps.js';
import type { StoredSignIn } from '../../areas/signins/store.js';

/** The application that a request is from. Throws `request-gone` where it is connected no more. */
async function clientOf(deps: Deps, request: SealedRequest): Promise<RegisteredClient> {
  const client = await findClient(deps, request.clientId);
  // What was registered when the request came may have been taken back since.
  if (!client?.redirectUris.includes(request.redirectUri)) throw new Refusal('request-gone');
  return client;
}

/** The proofs of a session that count for a request: as old as it allows, and none where it wants them anew. */
function counting(request: SealedRequest, session: BrowserSession | undefined, now: Date): readonly ProofDone[] {
  if (!session || request.anew || request.otherPerson) return [];
  const oldest = request.maxAge === undefined ? -Infinity : now.getTime() - request.maxAge * 1000;
  return session.proofs.filter(({ at }) => Date.parse(at) >= oldest);
}

/** Begins a sign-in that an application sent somebody for, as soon as it is known who it is about. */
export const pagesBegin: Handler<'pages.begin'> = async (deps, call) => {
  const request = await openFromPage(deps, 'sign-in', call.body.request);
  const client = await clientOf(deps, request);
  const [{ settings }, methods] = await Promise.all([deps.settings.current(), deps.methods.current()]);
  const session = await readBrowserSession(deps, call.cookies[BROWSER_SESSION_COOKIE]);
  const named = request.passwordChecked && client.claims.includes('password-checked');
  // Somebody who is to say who they are is not taken for whoever was here before.
  const resumes = session && !request.otherPerson && (!request.hintPerson || request.hintPerson === session.personId);
  // An application that says who it is has nobody else sign in, whatever key they hold.
  const asked = named ? { loginName: request.loginHint } : call.body;
  const who =
    asked.loginName === undefined && !('byKey' in asked && asked.byKey)
      ? undefined
      : await whoBegins(deps, 'application', call.origin, client.applicationId, asked);
  const loginName = who?.loginName ?? (resumes ? session.loginName : undefined);
  const back = (error: 'access_denied' | 'login_required' | 'interaction_required', why: string) =>
    backWithError(request, error, why, issuerOf(deps));
  const page = {
    organisation: settings.organisation,
    application: client.applicationName,
    back: back('access_denied', 'the person gave up, or was not let in'),
    person: resumes ? session.displayName : null,
    loginHint: request.loginHint ?? null,
    resets: offersReset(methods.settings),
    named,
  };
  const nobodyYet = { signIn: null, handle: null, rememberDays: 0, redirect: null };
  if (loginName === undefined || (request.silent && !resumes && !named))
    return {
      answer: {
        ...page,
        ...nobodyYet,
        redirect: request.silent ? back('login_required', 'nobody is signed in') : null,
      },
    };
  const browserId = await readBrowser(deps, call.cookies[BROWSER_COOKIE]);
  const place: Place = {
    applicationId: client.applicationId,
    connectionId: client.id,
    walkedBy: null,
    granted: ['source-address', 'browser', ...(named ? (['password-checked'] as const) : [])],
  };
  const mine = loginName === session?.loginName ? session : undefined;
  const stored = await prepareSignIn(
    deps,
    place,
    {
      loginName,
      promptKinds: pagePromptKinds(await takesKeys(deps)),
      claims: {
        sourceAddress: call.origin,
        ...(call.browser ? { browser: call.browser } : {}),
        ...(named ? { passwordChecked: true as const } : {}),
      },
    },
    {
      acquaintance: async (personId) => await acquaintance(deps, browserId, personId, deps.now()),
      resumed: counting(request, mine, deps.now()),
      atLeast: request.acr.map(neededFor),
    },
  );
  if (request.silent && stored.signIn.state !== 'let-in')
    return { answer: { ...page, ...nobodyYet, redirect: back('interaction_required', 'something has to be proved') } };
  const beginning = who ?? { loginName };
  let begun = stored;
  const reply = await call.run(async (work) => {
    begun = await beginWith(deps, work, call, stored, beginning, 'ours');
    // A key that did not open anything leaves it to be tried again.
    if (request.once !== undefined && !keyRefusal(deps, begun, beginning)) await spend(work, request.once);
    const { answer, cookies } = await replyOf(deps, work, call, request, begun, session, false);
    return { answer: { ...page, ...answer }, cookies };
  });
  assertKeyRight(deps, begun, beginning);
  return reply;
};

/** Notes that a request which is good for one sign-in has had it. */
async function spend(work: Work, once: Id): Promise<void> {
  const first = await write(work, 'INSERT IGNORE INTO spent_requests (id, expires_at) VALUES (:id, :at)', {
    id: idBytes(once),
    at: new Date(work.now.getTime() + 3_600_000),
  });
  if (first !== 1) throw new Refusal('request-gone');
}

/** Answers the prompt of such a sign-in. */
export const pagesProve: Handler<'pages.prove'> = async (deps, call) => {
  const { id } = call.params;
  if (!isHandle(deps, id, call.body.handle, call.body.request)) throw new Refusal('not-found');
  const request = await openFromPage(deps, 'sign-in', call.body.request);
  await clientOf(deps, request);
  const session = await readBrowserSession(deps, call.cookies[BROWSER_SESSION_COOKIE]);
  const step = await prove({
    deps,
    driver: call,
    id,
    mine: (stored) => stored.connectionId === request.clientId,
    proof: call.body,
    at: 'ours',
  });
  return await takeStepBehindLocks(
    call,
    step,
    async (stored, work) => await replyOf(deps, work, call, request, stored, session, call.body.remember),
  );
};

type AtPage = Pick<Answer<'pages.begin'>, keyof Answer<'pages.prove'>>;

/** What the page is told; with the code, the session and what is remembered, once the person is let in. */
async function replyOf(
  deps: Deps,
  work: Work,
  call: Call<'pages.begin'> | Call<'pages.prove'>,
  request: SealedRequest,
  stored: StoredSignIn,
  session: BrowserSession | undefined,
  remember: boolean,
): Promise<{ answer: AtPage; cookies: readonly SetCookie[] }> {
  const { signIn } = stored;
  const asked = promptOf(signIn);
  const answer: AtPage = {
    signIn: await shownAtPage(deps, work.reading, stored),
    handle: handleOf(deps, stored.id, call.body.request),
    // Told with what is asked second: before that nobody learns by which rule.
    rememberDays:
      asked && asked.kind !== 'password' && signIn.proofs.length > 0 ? (signIn.requirement.remember ?? 0) : 0,
    redirect: null,
  };
  if (signIn.state !== 'let-in') return { answer, cookies: [] };
  const redirect = await grantCode(deps, work, request, stored);
  return { answer: { ...answer, redirect }, cookies: await keepInBrowser(deps, work, call, stored, session, remember) };
}

async function keepInBrowser(
  deps: Deps,
  work: Work,
  call: Call<'pages.begin'> | Call<'pages.prove'>,
  { personId, signIn }: StoredSignIn,
  session: BrowserSession | undefined,
  remember: boolean,
): Promise<SetCookie[]> {
  const person = personId!;
  const how = { label: labelOf(call.browser), origin: call.origin };
  const cookies: SetCookie[] = [];
  const browser = await meetBrowser(deps, work, await readBrowser(deps, call.cookies[BROWSER_COOKIE]), person);
  if (browser.cookie) cookies.push({ name: BROWSER_COOKIE, ...browser.cookie });
  // What only an application vouches for is its own affair; what was proved on another day counts by its own rule.
  const own = signIn.proofs.filter(({ claimed, remembered }) => !claimed && !remembered);
  const vouched = signIn.proofs.some(({ claimed }) => claimed);
  const news = own.filter(({ id, at }) => !session?.proofs.some((known) => known.id === id && known.at === at));
  if (news.length > 0 && !vouched) {
    const kept = await keepBrowserSession(deps, work, person, own, session, how);
    cookies.push({ name: BROWSER_SESSION_COOKIE, ...kept });
  }
  const { rule, remember: days = 0 } = signIn.requirement;
  const lasting = own.filter(({ method }) => method !== 'password');
  if (remember && rule && days > 0 && lasting.length > 0)
    await rememberBrowser(deps, work, browser.id, person, rule.name, days, lasting, how);
  return cookies;
}
