import { advance } from '@nimble-latch/core/signin';
import type { PromptKind, Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import type { Call, Handler } from '../../platform/http/call.js';
import { partyAt } from '../../areas/keyring/relying-party.js';
import { isRowAlone, prepareSignIn, type Place } from '../../areas/signins/begin.js';
import { trailSignIn } from '../../areas/signins/trail-sign-in.js';
import { assertKeyRight, beginWith, offerKeys, whoBegins } from '../../areas/signins/nameless.js';
import { prove } from '../../areas/signins/proofs/index.js';
import { shownAt } from '../../areas/signins/key-prompt.js';
import { takeStep } from '../../areas/signins/steps.js';
import { insertSignIns, readSignIn, saveSignIn, shownState, viewOf } from '../../areas/signins/store.js';

/** Keys answer to the pages of an application only where it is known from which origins those come. */
async function assertShows(deps: Deps, applicationId: Id, promptKinds: readonly PromptKind[]): Promise<void> {
  if (!promptKinds.includes('webauthn')) return;
  const { origins } = await partyAt(deps, applicationId);
  if (origins.length === 0) throw badField('body.carries', 'no-origins');
}

const placeOf = ({ actor }: Call<'signIns.begin'> | Call<'signIns.offer'>): string =>
  `connection ${actor.connectionId}`;

/** What an application's page may ask of keys before anybody has said who they are. */
export const offerForApplication: Handler<'signIns.offer'> = async (deps, call) => ({
  answer: offerKeys(deps, await partyAt(deps, call.actor.applicationId), placeOf(call)),
});

export const beginForApplication: Handler<'signIns.begin'> = async (deps, call) => {
  const { actor } = call;
  const place: Place = {
    applicationId: actor.applicationId,
    connectionId: actor.connectionId,
    walkedBy: null,
    granted: actor.claims,
  };
  const { carries: promptKinds, claims } = call.body;
  await assertShows(deps, actor.applicationId, promptKinds);
  const source = actor.claims.includes('source-address') ? (claims.sourceAddress ?? null) : null;
  const who = await whoBegins(deps, placeOf(call), source, actor.applicationId, call.body);
  const stored = await prepareSignIn(deps, place, { loginName: who.loginName, promptKinds, claims });
  // Usually nothing is decided yet: one row, which needs no transaction around it.
  if (isRowAlone(stored) && !call.once && !who.byKey) {
    await deps.batcher.ask(insertSignIns, stored);
    return { answer: await shownAt('theirs', deps, deps, stored) };
  }
  let begun = stored;
  const reply = await call.run(async (work) => {
    begun = await beginWith(deps, work, call, stored, who, 'theirs');
    return { answer: await shownAt('theirs', deps, work.reading, begun) };
  });
  assertKeyRight(deps, begun, who);
  return reply;
};

export const proveForApplication: Handler<'signIns.prove'> = async (deps, call) =>
  await takeStep(
    call,
    await prove({
      deps,
      driver: call,
      id: call.params.id,
      mine: (stored) => stored.connectionId === call.actor.connectionId,
      proof: call.body,
      connected: call.connected,
      at: 'theirs',
    }),
    async (stored, plan) => ({ answer: await shownAt('theirs', deps, plan.reading, stored) }),
  );

export const showForApplication: Handler<'signIns.show'> = async (deps, call) => {
  const stored = await readSignIn(deps, call.params.id);
  if (stored.connectionId !== call.actor.connectionId) throw new Refusal('not-found');
  const state = shownState(stored.signIn.state, stored.signIn.expiresAt, deps.now());
  if (state !== stored.signIn.state) return { answer: { ...viewOf(stored), state, prompt: null, reason: 'expired' } };
  return { answer: await shownAt('theirs', deps, deps, stored) };
};

export const cancelForApplication: Handler<'signIns.cancel'> = async (deps, call) =>
  await call.run(async (work) => {
    const stored = await readSignIn(work, call.params.id, true);
    if (stored.connectionId !== call.actor.connectionId) throw new Refusal('not-found');
    if (stored.signIn.state !== 'asking') throw new Refusal('sign-in-ended');
    const saved = saveSignIn(work, stored, advance(stored.signIn, { type: 'cancelled' }, work.now.getTime()));
    await trailSignIn(deps, work, call, saved);
    return { answer: viewOf(saved) };
  });
