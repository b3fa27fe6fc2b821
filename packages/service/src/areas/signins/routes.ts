import { CLAIMS, type PromptKind } from '@nimble-latch/core/vocabulary';
import { selectOne } from '../../platform/db/sql.js';
import type { Plan } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField } from '../../platform/errors.js';
import { groupsWithin } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { listActivity, showActivity, storyOf } from './activity.js';
import { prepareSignIn, recordSignIn, type Place } from './begin.js';
import { consoleBegin, consoleProve } from './console.js';
import { explainPerson, explainSignIn } from './explain.js';
import { exportActivity } from './export-activity.js';
import { giveVerdict } from './verdict.js';
import { meets } from './meets.js';
import { offerPlace, ownBegin, ownProve, ownRemove, ownSignIns } from './own.js';
import { prove } from './proofs/index.js';
import { takeStep } from './steps.js';
import { viewOf, type StoredSignIn } from './store.js';

/** Whoever walks through a sign-in for somebody has none of their keys. */
const typedOnly = (kinds: readonly PromptKind[]): PromptKind[] => kinds.filter((kind) => kind !== 'webauthn');

async function walkReply(deps: Deps, plan: Plan, stored: StoredSignIn) {
  const application = await selectOne<{ name: string }>(plan.reading, 'SELECT name FROM applications WHERE id = :id', {
    id: idBytes(stored.applicationId),
  });
  return {
    answer: {
      signIn: viewOf(stored),
      story: await storyOf(deps, plan.reading, stored, application?.name ?? null, deps.now()),
    },
  };
}

const beginWalk: Handler<'walkThroughs.begin'> = async (deps, call) => {
  const { applicationId, carries, loginName, claims } = call.body;
  const application = await selectOne(deps, 'SELECT 1 AS one FROM applications WHERE id = :id AND built_in = 0', {
    id: idBytes(applicationId),
  });
  if (!application) throw badField('body.applicationId', 'not-an-application');
  const place: Place = {
    applicationId,
    connectionId: null,
    walkedBy: call.actor.personId,
    granted: CLAIMS,
  };
  const stored = await prepareSignIn(deps, place, { loginName, claims, promptKinds: typedOnly(carries) });
  return await call.run(async (work) => {
    const begun = await recordSignIn(deps, work, call, stored);
    return await walkReply(deps, work, begun);
  });
};

const proveWalk: Handler<'walkThroughs.prove'> = async (deps, call) =>
  await takeStep(
    call,
    await prove({
      deps,
      driver: call,
      id: call.params.id,
      mine: (stored) => stored.walkedBy === call.actor.personId,
      proof: call.body,
      connected: call.connected,
      at: 'ours',
    }),
    async (stored, plan) => await walkReply(deps, plan, stored),
  );

export const signInHandlers: AreaHandlers<
  | 'passkeys.offer'
  | 'console.begin'
  | 'console.prove'
  | 'own.begin'
  | 'own.prove'
  | 'own.signIns'
  | 'own.remove'
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
  'passkeys.offer': offerPlace,
  'console.begin': consoleBegin,
  'console.prove': consoleProve,
  'own.begin': ownBegin,
  'own.prove': ownProve,
  'own.signIns': ownSignIns,
  'own.remove': ownRemove,
  'walkThroughs.begin': beginWalk,
  'walkThroughs.prove': proveWalk,
  'people.meets': meets,
  'people.explain': explainPerson,
  'activity.explain': explainSignIn,
  'activity.judge': giveVerdict,
  'activity.export': exportActivity,
  'activity.list': async (deps, { query, actor }) => ({
    answer: await listActivity(deps, query, deps.now(), groupsWithin(actor, 'activity.read')),
  }),
  'activity.show': async (deps, { params }) => ({ answer: await showActivity(deps, deps, params.id, deps.now()) }),
};
