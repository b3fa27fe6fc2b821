import type { Answer, Parsed } from '@nimble-latch/api';
import { offersReset } from '@nimble-latch/core/methods';
import { backWithError, neededFor } from '@nimble-latch/core/oidc';
import { delegateOf, promptOf, type ProofDone } from '@nimble-latch/core/signin';
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
import type { Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Call, Handler, SetCookie } from '../../platform/http/call.js';
import { findClient, type RegisteredClient } from './clients.js';
import { grantCode, issuerOf } from './finish.js';
import { openFromPage, type SealedRequest } from '../../platform/http/page-seals.js';
import { takesKeys } from '../../areas/keyring/relying-party.js';
import { pagePromptKinds } from '../../areas/rulebook/prompt-kinds.js';
import { prepareSignIn, type Place } from '../../areas/signins/begin.js';
import {
  endedWithout,
  enrolledWithin,
  enrolmentWithin,
  giveRightWithin,
  graceWithin,
  isWithoutAnew,
  putOff,
  spendOnce,
  type Enrolled,
} from '../../areas/signins/enrol-within.js';
import { handleOf, isHandle } from '../../areas/signins/handle.js';
import { beginsHere } from '../../areas/signins/here.js';
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
  const { after } = call.body;
  const enrolled = after && (await backFromEnrolling(deps, call.body.request, after));
  const who =
    enrolled || (asked.loginName === undefined && !('byKey' in asked && asked.byKey))
      ? undefined
      : await whoBegins(deps, 'application', call.origin, client.applicationId, asked);
  const loginName = enrolled?.loginName ?? who?.loginName ?? (resumes ? session.loginName : undefined);
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
  const prepared = async (resumed: readonly ProofDone[]) =>
    await prepareSignIn(
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
        resumed,
        atLeast: request.acr.map(neededFor),
      },
    );
  const first = await prepared(enrolled?.proofs ?? counting(request, mine, deps.now()));
  // Whoever is to enrol, or says that they do later, has proved it is them just now.
  const stored = !request.silent && isWithoutAnew(first) ? await prepared([]) : first;
  if (request.silent && stored.signIn.state !== 'let-in')
    return { answer: { ...page, ...nobodyYet, redirect: back('interaction_required', 'something has to be proved') } };
  const beginning = who ?? { loginName };
  let begun = stored;
  const here = await beginsHere(deps, call.cookies, stored.id);
  const reply = await call.run(async (work) => {
    begun = await beginWith(deps, work, call, stored, beginning, 'ours');
    // A key that did not open anything leaves it to be tried again.
    if (enrolled) await spendOnce(work, enrolled.right);
    // What had its one sign-in goes on with it.
    else if (request.once !== undefined && !keyRefusal(deps, begun, beginning)) await spendOnce(work, request.once);
    const { answer, cookies } = await replyOf(deps, work, call, request, begun, session, false);
    return {
      answer: { ...page, ...answer },
      cookies: [...cookies, ...here],
    };
  });
  assertKeyRight(deps, begun, beginning);
  return reply;
};

/** Somebody who had to enrol in a sign-in of this very request, and has. */
async function backFromEnrolling(
  deps: Deps,
  request: string,
  { id, handle, right }: NonNullable<Parsed<'pages.begin', 'body'>['after']>,
): Promise<Enrolled> {
  if (!isHandle(deps, id, handle, request)) throw new Refusal('request-gone');
  return await enrolledWithin(deps, id, right);
}

/** The sign-in of a call that comes after its end, and the request that it was for. */
async function endedOf(
  deps: Deps,
  db: Db,
  { params: { id }, body }: Pick<Call<'pages.enrol'>, 'params' | 'body'>,
): Promise<{ readonly request: SealedRequest; readonly ended: Awaited<ReturnType<typeof endedWithout>> }> {
  if (!isHandle(deps, id, body.handle, body.request)) throw new Refusal('not-found');
  const request = await openFromPage(deps, 'sign-in', body.request);
  await clientOf(deps, request);
  const ended = await endedWithout(deps, db, id);
  if (ended.connectionId !== request.clientId) throw new Refusal('request-gone');
  return { request, ended };
}

const enrolmentOf = async (
  deps: Deps,
  call: Pick<Call<'pages.enrol'>, 'origin' | 'browser' | 'cookies'>,
  ended: Awaited<ReturnType<typeof endedWithout>>,
): Promise<StoredSignIn | undefined> => {
  const browserId = await readBrowser(deps, call.cookies[BROWSER_COOKIE]);
  return await enrolmentWithin(deps, ended, {
    origin: call.origin,
    browser: call.browser ?? null,
    acquaintance: async (personId) => await acquaintance(deps, browserId, personId, deps.now()),
  });
};

/** Whether somebody may enrol here and now, and how long they may put it off. */
export const pagesEnrol: Handler<'pages.enrol'> = async (deps, call) => {
  const { ended } = await endedOf(deps, deps, call);
  const enrolment = await enrolmentOf(deps, call, ended);
  return await call.run(async (work) => {
    const grace = await graceWithin(deps, work, ended);
    const right = enrolment ? await giveRightWithin(deps, work, call, ended, enrolment) : null;
    return {
      answer: {
        right,
        grace: grace
          ? {
              until: grace.until.toISOString(),
              putOff: grace.putOff,
              // Whoever cannot enrol here has the whole of their time to do it elsewhere.
              mayPutOff: !grace.last || right === null,
            }
          : null,
      },
    };
  });
};

/** Somebody puts it off, and goes on. */
export const pagesPutOff: Handler<'pages.putOff'> = async (deps, call) => {
  const { request, ended } = await endedOf(deps, deps, call);
  const enrolment = await enrolmentOf(deps, call, ended);
  return await call.run(async (work) => {
    const grace = await graceWithin(deps, work, ended);
    if (!grace || grace.until <= work.now) throw new Refusal('request-gone');
    if (grace.last && enrolment) throw new Refusal('last-day');
    await putOff(work, ended);
    return { answer: { redirect: await grantCode(deps, work, request, ended) } };
  });
};

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
    connected: call.connected,
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
  const cookies = await keepInBrowser(deps, work, call, stored, session, remember);
  // In days of grace they say first whether they enrol now or later; nobody can be asked where nothing is shown.
  const waits = signIn.graceUntil !== undefined && !request.silent;
  return { answer: { ...answer, redirect: waits ? null : await grantCode(deps, work, request, stored) }, cookies };
}

async function keepInBrowser(
  deps: Deps,
  work: Work,
  call: Call<'pages.begin'> | Call<'pages.prove'>,
  { personId, signIn }: StoredSignIn,
  session: BrowserSession | undefined,
  remember: boolean,
): Promise<SetCookie[]> {
  // Whoever acts for somebody leaves nothing of it behind: no session as them, no browser that is known as theirs.
  if (delegateOf(signIn.proofs) !== undefined) return [];
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
