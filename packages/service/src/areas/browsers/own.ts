import { endAccess } from '../access/end.js';
import { assertNotLeant, ownBy } from '../keyring/own.js';
import type { Handler } from '../../platform/http/call.js';
import { endInBrowsers } from './end-in-browsers.js';

/** Everything that somebody is signed in with ends, wherever that is; the right by which they said so too. */
export const ownSignOut: Handler<'own.signOut'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    assertNotLeant(own);
    const ended = await endInBrowsers(work, own, own.personId);
    const { sessions } = await endAccess(deps, work, [own.personId]);
    return { answer: { sessions: ended.sessions + sessions, browsers: ended.browsers } };
  });
