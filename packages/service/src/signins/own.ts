import type { OwnPlace, PromptKind } from '@nimble-latch/core/vocabulary';
import { readConcerned } from '../access/concerned.js';
import { Refusal } from '../errors.js';
import type { Handler } from '../http/call.js';
import { ENROLMENT_APPLICATION, key, RESET_APPLICATION } from '../ids.js';
import { carry } from '../oidc/sealed.js';
import { takesKeys } from '../keyring/relying-party.js';
import { pagesCarry } from '../rulebook/carried.js';
import { prepareSignIn, recordSignIn } from './begin.js';
import { handleOf, isHandle } from './handle.js';
import { prove } from './prove.js';
import { shownAtPage } from './prove-webauthn.js';

const APPLICATIONS: Readonly<Record<OwnPlace, string>> = {
  enrolment: ENROLMENT_APPLICATION,
  'password-reset': RESET_APPLICATION,
};
/** Not asked of whoever forgot their password: for it, or for something else anew. */
const CHANGING: ReadonlySet<PromptKind> = new Set(['password', 'new-password', 'new-pin']);
const placeOf = (applicationId: string): OwnPlace | undefined =>
  (Object.keys(APPLICATIONS) as OwnPlace[]).find((place) => APPLICATIONS[place] === applicationId);

/** The places where people help themselves are applications like any other, reached by the same engine. */
export const ownBegin: Handler<'own.begin'> = async (deps, call) => {
  const { place, loginName } = call.body;
  const stored = await prepareSignIn(
    deps,
    {
      applicationId: APPLICATIONS[place],
      connectionId: null,
      walkedBy: null,
      granted: ['source-address', 'browser'],
    },
    {
      loginName,
      // Where somebody forgot their password, nobody is asked to change it on the way.
      carries: pagesCarry(takesKeys(deps)).filter((kind) => place === 'enrolment' || !CHANGING.has(kind)),
      claims: { sourceAddress: call.origin, ...(call.browser ? { browser: call.browser } : {}) },
    },
  );
  return await call.run(async (work) => {
    await recordSignIn(deps, work, call, stored);
    return { answer: { signIn: await shownAtPage(deps, work, stored), handle: handleOf(deps, stored.id) } };
  });
};

export const ownProve: Handler<'own.prove'> = async (deps, call) => {
  if (!isHandle(deps, call.params.id, call.body.handle)) throw new Refusal('not-found');
  let kept = false;
  const reply = await prove(
    deps,
    call,
    call.params.id,
    ({ applicationId, walkedBy }) => walkedBy === null && placeOf(applicationId) !== undefined,
    call.body,
    async (step, opening) =>
      await call.run(async (work) => {
        kept = false;
        const stored = await step(work);
        const signIn = await shownAtPage(deps, work.reading, stored);
        if (stored.signIn.state !== 'let-in') return { answer: { signIn, right: null } };
        const personId = stored.personId!;
        // Emergency accounts are the owners' to change, and nobody else's; not their own holders' either.
        kept = (await readConcerned(work, key(personId)))?.emergency === true;
        const right = carry(deps, 'right', {
          personId,
          signInId: stored.id,
          place: placeOf(stored.applicationId)!,
        });
        return { answer: { signIn, right: kept ? null : right } };
      }, opening),
  );
  // Told only after everything was proved, and after the sign-in was recorded.
  if (kept) throw new Refusal('owners-only');
  return reply;
};
