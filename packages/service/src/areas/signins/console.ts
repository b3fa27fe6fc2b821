import type { Parsed } from '@nimble-latch/api';
import type { Role } from '@nimble-latch/core/vocabulary';
import { issueAccessToken } from '../access/access-tokens.js';
import { refreshSession, startSession } from '../access/sessions.js';
import { select } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Call, Handler, Reply } from '../../platform/http/call.js';
import { CONSOLE_APPLICATION, idBytes } from '../../platform/ids.js';
import { takesKeys } from '../keyring/relying-party.js';
import { pagePromptKinds } from '../rulebook/prompt-kinds.js';
import { isRowAlone, prepareSignIn, type Place } from './begin.js';
import { handleOf, isHandle } from './handle.js';
import { beginsHere } from './here.js';
import { assertKeyRight, beginWith, whoBegins } from './nameless.js';
import { prove } from './proofs/index.js';
import { shownAtPage } from './key-prompt.js';
import { takeStepBehindLocks } from './steps.js';
import { insertSignIn, viewOf, type StoredSignIn } from './store.js';

/** The product guards itself with itself: its console is an application like any other, reached by the same engine. */
const CONSOLE: Place = {
  applicationId: CONSOLE_APPLICATION,
  connectionId: null,
  walkedBy: null,
  granted: ['source-address', 'browser'],
};

export const consoleBegin: Handler<'console.begin'> = async (deps, call) => {
  const who = await whoBegins(deps, 'console', call.origin, CONSOLE_APPLICATION, call.body);
  const stored = await prepareSignIn(deps, CONSOLE, {
    loginName: who.loginName,
    promptKinds: pagePromptKinds(call.body.keys && (await takesKeys(deps))),
    claims: { sourceAddress: call.origin, ...(call.browser ? { browser: call.browser } : {}) },
  });
  const handle = handleOf(deps, stored.id);
  const here = await beginsHere(deps, call.cookies, stored.id);
  if (isRowAlone(stored) && !who.byKey) {
    await insertSignIn(deps, stored);
    return { answer: { signIn: await shownAtPage(deps, deps, stored), handle }, cookies: here };
  }
  let begun = stored;
  const entered = new Entering();
  const reply = await call.run(async (work) => {
    begun = await beginWith(deps, work, call, stored, who, 'ours');
    const { answer, ...session } = await entered.bring(deps, work, call, begun, { kind: 'session' });
    return { ...session, answer: { signIn: answer.signIn, handle }, cookies: [...(session.cookies ?? []), ...here] };
  });
  assertKeyRight(deps, begun, who);
  entered.assertInsider();
  return reply;
};

export const consoleProve: Handler<'console.prove'> = async (deps, call) => {
  if (!isHandle(deps, call.params.id, call.body.handle)) throw new Refusal('not-found');
  const entered = new Entering();
  const step = await prove({
    deps,
    driver: call,
    id: call.params.id,
    mine: (stored) => stored.applicationId === CONSOLE_APPLICATION,
    proof: call.body,
    connected: call.connected,
    at: 'ours',
  });
  const reply = await takeStepBehindLocks(
    call,
    step,
    async (stored, work) => await entered.bring(deps, work, call, stored, call.body.want),
  );
  entered.assertInsider();
  return reply;
};

type Caller = Call<'console.begin'> | Call<'console.prove'>;
type Want = Parsed<'console.prove', 'body'>['want'];

/** What a step of a console sign-in brings; whoever has no role here is told so only after everything was proved and recorded. */
class Entering {
  #outsider = false;

  async bring(deps: Deps, work: Work, call: Caller, stored: StoredSignIn, want: Want): Promise<Reply<'console.prove'>> {
    // The step may run again.
    this.#outsider = false;
    if (stored.signIn.state !== 'let-in')
      return { answer: { signIn: await shownAtPage(deps, work.reading, stored), accessToken: null } };
    const roles = await select<{ role: Role }>(work, 'SELECT role FROM role_grants WHERE person_id = :id', {
      id: idBytes(stored.personId!),
    });
    if (roles.length > 0) return await admit(deps, work, call, stored, want);
    this.#outsider = true;
    return { answer: { signIn: viewOf(stored), accessToken: null } };
  }

  assertInsider(): void {
    if (this.#outsider) throw new Refusal('not-permitted', { permission: 'console' });
  }
}

async function admit(
  deps: Deps,
  work: Work,
  call: Caller,
  stored: StoredSignIn,
  want: Want,
): Promise<Reply<'console.prove'>> {
  const personId = stored.personId!;
  const signIn = viewOf(stored);
  if (want.kind === 'access-token') {
    const { token, accessToken } = await issueAccessToken(deps, work, personId, want.label, want.hours, call.origin);
    return { answer: { signIn, accessToken: { token, expiresAt: accessToken.expiresAt } } };
  }
  const answer = { signIn, accessToken: null };
  if (await refreshSession(deps, work, call.sessionToken, personId, call.origin)) return { answer };
  return { answer, session: await startSession(deps, work, personId, { byLink: false, origin: call.origin }) };
}
