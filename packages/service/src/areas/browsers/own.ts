import { assertNotLeant, ownBy } from '../keyring/own.js';
import { endAccess } from '../access/end.js';
import { readConcerned } from '../access/concerned.js';
import { noticeTo } from '../notices/notices.js';
import { Refusal } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { sealForPage } from '../../platform/http/page-seals.js';
import { idBytes } from '../../platform/ids.js';
import { endInBrowsers } from './end-in-browsers.js';
import { browsersOf, forget } from './forget.js';
import { BROWSER_SESSION_COOKIE, readBrowserSession } from './sessions.js';

/** Everything that somebody is signed in with ends, wherever that is; the right by which they said so too. */
export const ownSignOut: Handler<'own.signOut'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    assertNotLeant(own);
    const ended = await endInBrowsers(work, own, own.personId);
    const { sessions } = await endAccess(deps, work, [own.personId]);
    await noticeTo(deps, work, own.personId, 'signed-out', { label: '' });
    return { answer: { sessions: ended.sessions + sessions, browsers: ended.browsers } };
  });

/**
 * Whoever is signed in by our pages sees what they hold, and no more: the session is hours old, and who is at the browser now has proved
 * nothing. The right ends with the session.
 */
export const ownBySession: Handler<'own.bySession'> = async (deps, call) => {
  const session = await readBrowserSession(deps, call.cookies[BROWSER_SESSION_COOKIE]);
  if (!session) throw new Refusal('not-signed-in');
  const { id, personId, loginName } = session;
  if ((await readConcerned(deps, idBytes(personId)))?.emergency !== false) throw new Refusal('owners-only');
  const right = { personId, signInId: id, place: 'enrolment', first: false, looks: true } as const;
  return { answer: { right: sealForPage(deps, 'right', right), loginName } };
};

export const ownBrowsers: Handler<'own.browsers'> = async (deps, call) => {
  const own = await ownBy(deps, deps, call.body.right, 'enrolment', call.origin, 'look');
  assertNotLeant(own);
  return { answer: await browsersOf(deps, own.personId, call.cookies) };
};

export const ownForgetBrowser: Handler<'own.forgetBrowser'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    assertNotLeant(own);
    await forget(work, own, own.personId, call.params.id);
    return { answer: null };
  });
