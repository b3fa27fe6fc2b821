import type { Role } from '@nimble-latch/core/vocabulary';
import { issueAccessToken } from '../access/access-tokens.js';
import { refreshSession, startSession } from '../access/sessions.js';
import { select } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import type { Call, Handler, Reply } from '../http/call.js';
import { CONSOLE_APPLICATION, key } from '../ids.js';
import { takesKeys } from '../keyring/relying-party.js';
import { pagesCarry } from '../rulebook/carried.js';
import { prepareSignIn, type Place } from './begin.js';
import { handleOf, isHandle } from './handle.js';
import { prove } from './prove.js';
import { shownAtPage } from './prove-webauthn.js';
import { insertSignIn, viewOf, type StoredSignIn } from './store.js';

/** The product guards itself with itself: its console is an application like any other, reached by the same engine. */
const CONSOLE: Place = {
  applicationId: CONSOLE_APPLICATION,
  connectionId: null,
  walkedBy: null,
  granted: ['source-address', 'browser'],
};

export const consoleBegin: Handler<'console.begin'> = async (deps, call) => {
  const stored = await prepareSignIn(deps, CONSOLE, {
    loginName: call.body.loginName,
    carries: pagesCarry(call.body.keys && takesKeys(deps)),
    claims: { sourceAddress: call.origin, ...(call.browser ? { browser: call.browser } : {}) },
  });
  await insertSignIn(deps, stored);
  return { answer: { signIn: await shownAtPage(deps, deps, stored), handle: handleOf(deps, stored.id) } };
};

export const consoleProve: Handler<'console.prove'> = async (deps, call) => {
  if (!isHandle(deps, call.params.id, call.body.handle)) throw new Refusal('not-found');
  let outsider = false;
  const reply = await prove(
    deps,
    call,
    call.params.id,
    (stored) => stored.applicationId === CONSOLE_APPLICATION,
    call.body,
    async (step, opening) =>
      await call.run(async (work) => {
        outsider = false;
        const stored = await step(work);
        if (stored.signIn.state !== 'let-in')
          return { answer: { signIn: await shownAtPage(deps, work.reading, stored), accessToken: null } };
        const roles = await select<{ role: Role }>(work, 'SELECT role FROM role_grants WHERE person_id = :id', {
          id: key(stored.personId!),
        });
        if (roles.length === 0) {
          outsider = true;
          return { answer: { signIn: viewOf(stored), accessToken: null } };
        }
        return await admit(deps, work, call, stored);
      }, opening),
  );
  // Told only after everything was proved, and after the sign-in was recorded.
  if (outsider) throw new Refusal('not-permitted', { permission: 'console' });
  return reply;
};

async function admit(
  deps: Deps,
  work: Work,
  call: Call<'console.prove'>,
  stored: StoredSignIn,
): Promise<Reply<'console.prove'>> {
  const personId = stored.personId!;
  const { want } = call.body;
  const signIn = viewOf(stored);
  if (want.kind === 'access-token') {
    const { token, accessToken } = await issueAccessToken(deps, work, personId, want.label, want.hours, call.origin);
    return { answer: { signIn, accessToken: { token, expiresAt: accessToken.expiresAt } } };
  }
  const answer = { signIn, accessToken: null };
  if (await refreshSession(deps, work, call.sessionToken, personId, call.origin)) return { answer };
  return { answer, session: await startSession(deps, work, personId, { byLink: false, origin: call.origin }) };
}
