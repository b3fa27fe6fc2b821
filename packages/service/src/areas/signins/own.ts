import type { Answer } from '@nimble-latch/api';
import type { Id, OwnPlace, PromptKind } from '@nimble-latch/core/vocabulary';
import { readConcerned } from '../access/concerned.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { ENROLMENT_APPLICATION, idBytes, RESET_APPLICATION } from '../../platform/ids.js';
import { sealForPage } from '../../platform/http/page-seals.js';
import { ownParty, takesKeys } from '../keyring/relying-party.js';
import { pagePromptKinds } from '../rulebook/prompt-kinds.js';
import { prepareSignIn } from './begin.js';
import { handleOf, isHandle } from './handle.js';
import { assertKeyRight, beginWith, offerKeys, whoBegins } from './nameless.js';
import { prove } from './proofs/index.js';
import { shownAtPage } from './key-prompt.js';
import { takeStepBehindLocks } from './steps.js';
import type { StoredSignIn } from './store.js';

const APPLICATIONS: Readonly<Record<OwnPlace, Id>> = {
  enrolment: ENROLMENT_APPLICATION,
  'password-reset': RESET_APPLICATION,
};
/** Not asked of whoever forgot their password: for it, or for something else anew. */
const CHANGING: ReadonlySet<PromptKind> = new Set(['password', 'new-password', 'new-pin']);
const placeOf = (applicationId: Id): OwnPlace | undefined =>
  (Object.keys(APPLICATIONS) as OwnPlace[]).find((place) => APPLICATIONS[place] === applicationId);

/** The places where people help themselves are applications like any other, reached by the same engine. */
export const ownBegin: Handler<'own.begin'> = async (deps, call) => {
  const { place } = call.body;
  const applicationId = APPLICATIONS[place];
  const who = await whoBegins(deps, place, call.origin, applicationId, call.body);
  const stored = await prepareSignIn(
    deps,
    { applicationId, connectionId: null, walkedBy: null, granted: ['source-address', 'browser'] },
    {
      loginName: who.loginName,
      // Where somebody forgot their password, nobody is asked to change it on the way.
      promptKinds: pagePromptKinds(await takesKeys(deps)).filter(
        (kind) => place === 'enrolment' || !CHANGING.has(kind),
      ),
      claims: { sourceAddress: call.origin, ...(call.browser ? { browser: call.browser } : {}) },
    },
  );
  let begun = stored;
  const given = new GivenRight();
  const reply = await call.run(async (work) => {
    begun = await beginWith(deps, work, call, stored, who, 'ours');
    const answer = await given.bring(deps, work, begun);
    return { answer: { ...answer, handle: handleOf(deps, stored.id) } };
  });
  assertKeyRight(deps, begun, who);
  given.assertTheirs();
  return reply;
};

export const ownProve: Handler<'own.prove'> = async (deps, call) => {
  if (!isHandle(deps, call.params.id, call.body.handle)) throw new Refusal('not-found');
  const given = new GivenRight();
  const step = await prove({
    deps,
    driver: call,
    id: call.params.id,
    mine: ({ applicationId, walkedBy }) => walkedBy === null && placeOf(applicationId) !== undefined,
    proof: call.body,
    at: 'ours',
  });
  const reply = await takeStepBehindLocks(call, step, async (stored, work) => ({
    answer: await given.bring(deps, work, stored),
  }));
  given.assertTheirs();
  return reply;
};

/** What a step brings: the right, once let in. Emergency accounts are told only after everything was proved and recorded. */
class GivenRight {
  #kept = false;

  async bring(deps: Deps, work: Work, stored: StoredSignIn): Promise<Answer<'own.prove'>> {
    // The step may run again.
    this.#kept = false;
    const signIn = await shownAtPage(deps, work.reading, stored);
    if (stored.signIn.state !== 'let-in') return { signIn, right: null };
    const personId = stored.personId!;
    // Emergency accounts are the owners' to change, and nobody else's; not their own holders' either.
    this.#kept = (await readConcerned(work, idBytes(personId)))?.emergency === true;
    const place = placeOf(stored.applicationId)!;
    return { signIn, right: this.#kept ? null : sealForPage(deps, 'right', { personId, signInId: stored.id, place }) };
  }

  assertTheirs(): void {
    if (this.#kept) throw new Refusal('owners-only');
  }
}

/** What any key may be asked at a place of our own, before anybody has said who they are. */
export const offerPlace: Handler<'passkeys.offer'> = async (deps, call) => ({
  answer: offerKeys(deps, (await takesKeys(deps)) ? await ownParty(deps) : undefined, call.body.place),
});
