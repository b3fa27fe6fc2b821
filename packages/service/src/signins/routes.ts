import type { RouteId } from '@nimble-latch/api';
import { advance } from '@nimble-latch/core/signin';
import { CLAIMS, type PromptKind } from '@nimble-latch/core/vocabulary';
import { selectOne } from '../db/sql.js';
import type { Opening, Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { badField, Refusal } from '../errors.js';
import { groupsWithin } from '../http/actors.js';
import type { AreaHandlers, Call, Handler, Reply } from '../http/call.js';
import { key } from '../ids.js';
import { listActivity, showActivity, storyOf } from './activity.js';
import { prepareSignIn, recordSignIn, type Place } from './begin.js';
import { consoleBegin, consoleProve } from './console.js';
import { tellTrail } from './context.js';
import { explainPerson, explainSignIn } from './explain.js';
import { exportActivity } from './export-activity.js';
import { judge } from './judge.js';
import { meets } from './meets.js';
import { ownBegin, ownProve } from './own.js';
import { pagesBegin, pagesProve } from './pages.js';
import { prove } from './prove.js';
import { insertSignIns, readSignIn, saveSignIn, shownState, viewOf, type StoredSignIn } from './store.js';

/** Runs a step in the call's transaction and makes its reply. */
function settling<R extends RouteId>(call: Call<R>, reply: (stored: StoredSignIn, work: Work) => Promise<Reply<R>>) {
  return async (step: (work: Work) => Promise<StoredSignIn>, opening?: Opening): Promise<Reply<R>> =>
    await call.run(async (work) => await reply(await step(work), work), opening);
}

/** Keys answer to pages of their own place: an application's own pages are none of ours, whatever it says that it shows. */
const typedOnly = <T extends { readonly carries: readonly PromptKind[] }>(asked: T): T => ({
  ...asked,
  carries: asked.carries.filter((kind) => kind !== 'webauthn'),
});

const beginForApplication: Handler<'signIns.begin'> = async (deps, call) => {
  const { actor } = call;
  const place: Place = {
    applicationId: actor.applicationId,
    connectionId: actor.connectionId,
    walkedBy: null,
    granted: actor.claims,
  };
  const stored = await prepareSignIn(deps, place, typedOnly(call.body));
  const reply = { answer: viewOf(stored) };
  // Usually nothing is decided yet: one row, which needs no transaction around it.
  if (stored.signIn.state === 'asking' && !call.once) {
    await deps.together.ask(insertSignIns, stored);
    return reply;
  }
  return await call.run(async (work) => {
    await recordSignIn(deps, work, call, stored);
    return reply;
  });
};

const proveForApplication: Handler<'signIns.prove'> = async (deps, call) =>
  await prove(
    deps,
    call,
    call.params.id,
    (stored) => stored.connectionId === call.actor.connectionId,
    call.body,
    settling(call, async (stored) => ({ answer: viewOf(stored) })),
  );

const showForApplication: Handler<'signIns.show'> = async (deps, call) => {
  const stored = await readSignIn(deps, call.params.id);
  if (stored.connectionId !== call.actor.connectionId) throw new Refusal('not-found');
  const view = viewOf(stored);
  const state = shownState(view.state, stored.signIn.expiresAt, deps.now());
  return { answer: state === view.state ? view : { ...view, state, prompt: null, reason: 'expired' } };
};

const cancelForApplication: Handler<'signIns.cancel'> = async (deps, call) =>
  await call.run(async (work) => {
    const stored = await readSignIn(work, call.params.id, true);
    if (stored.connectionId !== call.actor.connectionId) throw new Refusal('not-found');
    if (stored.signIn.state !== 'asking') throw new Refusal('sign-in-ended');
    const saved = saveSignIn(work, stored, advance(stored.signIn, { type: 'cancelled' }, work.now.getTime()));
    await tellTrail(deps, work, call, saved);
    return { answer: viewOf(saved) };
  });

async function walkReply(deps: Deps, work: Work, stored: StoredSignIn) {
  const application = await selectOne<{ name: string }>(work, 'SELECT name FROM applications WHERE id = :id', {
    id: key(stored.applicationId),
  });
  return {
    answer: { signIn: viewOf(stored), story: await storyOf(deps, stored, application?.name ?? null, deps.now()) },
  };
}

const beginWalk: Handler<'walkThroughs.begin'> = async (deps, call) => {
  const { applicationId, ...asked } = call.body;
  const application = await selectOne(deps, 'SELECT 1 AS one FROM applications WHERE id = :id AND built_in = 0', {
    id: key(applicationId),
  });
  if (!application) throw badField('body.applicationId', 'not-an-application');
  const place: Place = {
    applicationId,
    connectionId: null,
    walkedBy: call.actor.personId,
    granted: CLAIMS,
  };
  const stored = await prepareSignIn(deps, place, typedOnly(asked));
  return await call.run(async (work) => {
    await recordSignIn(deps, work, call, stored);
    return await walkReply(deps, work, stored);
  });
};

const proveWalk: Handler<'walkThroughs.prove'> = async (deps, call) =>
  await prove(
    deps,
    call,
    call.params.id,
    (stored) => stored.walkedBy === call.actor.personId,
    call.body,
    settling(call, async (stored, work) => await walkReply(deps, work, stored)),
  );

export const signInHandlers: AreaHandlers<
  | 'signIns.begin'
  | 'signIns.show'
  | 'signIns.prove'
  | 'signIns.cancel'
  | 'console.begin'
  | 'console.prove'
  | 'own.begin'
  | 'own.prove'
  | 'pages.begin'
  | 'pages.prove'
  | 'walkThroughs.begin'
  | 'walkThroughs.prove'
  | 'people.meets'
  | 'people.explain'
  | 'activity.explain'
  | 'activity.list'
  | 'activity.export'
  | 'activity.show'
  | 'activity.judge'
> = {
  'signIns.begin': beginForApplication,
  'signIns.show': showForApplication,
  'signIns.prove': proveForApplication,
  'signIns.cancel': cancelForApplication,
  'console.begin': consoleBegin,
  'console.prove': consoleProve,
  'own.begin': ownBegin,
  'own.prove': ownProve,
  'pages.begin': pagesBegin,
  'pages.prove': pagesProve,
  'walkThroughs.begin': beginWalk,
  'walkThroughs.prove': proveWalk,
  'people.meets': meets,
  'people.explain': explainPerson,
  'activity.explain': explainSignIn,
  'activity.judge': judge,
  'activity.export': exportActivity,
  'activity.list': async (deps, { query, actor }) => ({
    answer: await listActivity(deps, query, deps.now(), groupsWithin(actor, 'activity.read')),
  }),
  'activity.show': async (deps, { params }) => ({ answer: await showActivity(deps, params.id, deps.now()) }),
};
