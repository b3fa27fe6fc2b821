import { advance, promptOf } from '@nimble-latch/core/signin';
import type { PromptKind } from '@nimble-latch/core/vocabulary';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { badField, Refusal } from '../errors.js';
import type { Driver } from './context.js';
import { proveCode } from './prove-code.js';
import { provePassword } from './prove-password.js';
import { readSignIn, saveSignIn, type StoredSignIn } from './store.js';

/**
 * Answers the prompt of a sign-in.
 *
 * @param mine whether the caller may drive this sign-in; to anybody else it does not exist
 * @param settle runs the deciding step in the caller's transaction and makes the reply of what it brought
 */
export async function prove<T>(
  deps: Deps,
  driver: Driver,
  id: string,
  mine: (stored: StoredSignIn) => boolean,
  proof: { readonly kind: PromptKind; readonly value: string },
  settle: (step: (work: Work) => Promise<StoredSignIn>) => Promise<T>,
): Promise<T> {
  if (proof.kind === 'code')
    // A code is checked in a moment, so everything happens under the lock of the sign-in.
    return await settle(async (work) => {
      const stored = await readSignIn(work, id, true);
      assertAnswers(stored, mine, proof.kind);
      return (await expireIfLate(work, stored)) ?? (await proveCode(deps, work, driver, stored, proof.value));
    });
  const before = await readSignIn(deps, id);
  assertAnswers(before, mine, proof.kind);
  if (deps.now().getTime() >= before.signIn.expiresAt)
    return await settle(async (work) => {
      const stored = await readSignIn(work, id, true);
      return (await expireIfLate(work, stored)) ?? stored;
    });
  return await provePassword(deps, driver, before, proof.value, settle);
}

function assertAnswers(stored: StoredSignIn, mine: (stored: StoredSignIn) => boolean, kind: PromptKind): void {
  if (!mine(stored)) throw new Refusal('not-found');
  const prompt = promptOf(stored.signIn);
  if (!prompt) throw new Refusal('sign-in-ended');
  if (prompt.kind !== kind)
    throw badField('body.kind', `expected ${prompt.kind}, which is what the sign-in asks for now`);
}

async function expireIfLate(work: Work, stored: StoredSignIn): Promise<StoredSignIn | undefined> {
  const signIn = advance(stored.signIn, { type: 'time-passed' }, work.now.getTime());
  return signIn.state === 'expired' ? saveSignIn(work, stored, signIn) : undefined;
}
