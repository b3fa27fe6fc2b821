import type { Id } from '@nimble-latch/core/vocabulary';
import { backFromEnd } from '@nimble-latch/core/oidc';
import { select, write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { openFromPage } from '../../platform/http/page-seals.js';
import { BROWSER_COOKIE, readBrowser, rememberedOf } from './browsers.js';
import { endInBrowsers } from './end-in-browsers.js';
import { browsersOf, forget, shownSession } from './forget.js';
import { ownBrowsers, ownBySession, ownForgetBrowser, ownSignOut } from './own.js';
import { BROWSER_SESSION_COOKIE, readBrowserSession, type BrowserSession } from './sessions.js';

const showOwn: Handler<'pages.show'> = async (deps, call) => {
  const { settings } = await deps.settings.current();
  const session = await readBrowserSession(deps, call.cookies[BROWSER_SESSION_COOKIE]);
  const current = await readBrowser(deps, call.cookies[BROWSER_COOKIE]);
  return {
    answer: {
      organisation: settings.organisation,
      person: session?.displayName ?? null,
      session: session ? shownSession(session, true) : null,
      browsers: session ? await rememberedOf(deps, session.personId, current, deps.now()) : [],
    },
  };
};

/** Whoever is signed in in this browser acts for themselves. */
const asThemselves = (call: { readonly origin: string }, { personId }: BrowserSession) => ({
  origin: call.origin,
  actor: { kind: 'page', personId } as const,
});

const forgetOwn: Handler<'pages.forget'> = async (deps, call) => {
  const session = await readBrowserSession(deps, call.cookies[BROWSER_SESSION_COOKIE]);
  if (!session) throw new Refusal('not-signed-in');
  return await call.run(async (work) => {
    await forget(work, asThemselves(call, session), session.personId, call.params.id);
    return { answer: null };
  });
};

const endOwn: Handler<'pages.end'> = async (deps, call) => {
  const request = call.body.request === undefined ? undefined : await openFromPage(deps, 'sign-out', call.body.request);
  const session = await readBrowserSession(deps, call.cookies[BROWSER_SESSION_COOKIE]);
  return await call.run(async (work) => {
    if (session) {
      await write(work, 'DELETE FROM browser_sessions WHERE id = :id', { id: idBytes(session.id) });
      const target = { kind: 'session', id: session.id };
      const entry = entryOf(asThemselves(call, session), 'browser-session.ended', target, { person: session.personId });
      await work.trail(entry);
    }
    const redirect = request?.redirect;
    return {
      answer: { redirect: redirect === undefined ? null : backFromEnd(redirect, request?.state) },
      cookies: [{ name: BROWSER_SESSION_COOKIE, token: null }],
    };
  });
};

async function assertPerson(deps: Deps, id: Id): Promise<void> {
  if ((await select(deps, 'SELECT 1 AS one FROM persons WHERE id = :id', { id: idBytes(id) })).length === 0)
    throw notFound();
}

const listBrowsers: Handler<'browsers.list'> = async (deps, { params }) => {
  await assertPerson(deps, params.id);
  return { answer: await browsersOf(deps, params.id, {}) };
};

const forgetBrowser: Handler<'browsers.forget'> = async (_deps, call) =>
  await call.run(async (work) => {
    await forget(work, call, call.params.id, call.params.browserId);
    return { answer: null };
  });

const signOutEverywhere: Handler<'browsers.signOut'> = async (deps, call) => {
  await assertPerson(deps, call.params.id);
  return await call.run(async (work) => ({ answer: await endInBrowsers(work, call, call.params.id) }));
};

export const browserHandlers: AreaHandlers<
  | 'pages.show'
  | 'pages.forget'
  | 'pages.end'
  | 'browsers.list'
  | 'browsers.forget'
  | 'browsers.signOut'
  | 'own.signOut'
  | 'own.bySession'
  | 'own.browsers'
  | 'own.forgetBrowser'
> = {
  'pages.show': showOwn,
  'pages.forget': forgetOwn,
  'pages.end': endOwn,
  'browsers.list': listBrowsers,
  'browsers.forget': forgetBrowser,
  'browsers.signOut': signOutEverywhere,
  'own.signOut': ownSignOut,
  'own.bySession': ownBySession,
  'own.browsers': ownBrowsers,
  'own.forgetBrowser': ownForgetBrowser,
};
