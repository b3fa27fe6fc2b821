import type { Id } from '@nimble-latch/core/vocabulary';
import { readSignIn } from '../../areas/signins/store.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { SignInListeners } from './listeners.js';

const listeners = new WeakMap<Deps, SignInListeners>();

function listenersOf(deps: Deps): SignInListeners {
  let all = listeners.get(deps);
  if (!all) listeners.set(deps, (all = new SignInListeners(deps)));
  return all;
}

/** Ends whatever is listened to at this node, so that it can stop. */
export const endListening = (deps: Deps): void => listeners.get(deps)?.end();

/**
 * Whoever shows the page of a sign-in listens until a phone has answered. What comes says that there is something, and never what: the
 * sign-in goes on by a proof, as everywhere.
 */
export const eventsForApplication: Handler<'signIns.events'> = async (deps, { params, actor }) => {
  const { connectionId, signIn, version } = await readSignIn(deps, params.id);
  if (connectionId !== actor.connectionId) throw new Refusal('not-found');
  const { waits } = signIn;
  const about = {
    signIn: params.id,
    key: actor.keyId,
    asked: waits?.request as Id | undefined,
    until: waits?.until ?? 0,
    seen: version,
  };
  return { answer: '', listens: (line) => listenersOf(deps).add({ line, ...about }) };
};
