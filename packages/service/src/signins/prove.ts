import { advance, promptOf } from '@nimble-latch/core/signin';
import type { PromptKind } from '@nimble-latch/core/vocabulary';
import type { Statement } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { badField, Refusal } from '../errors.js';
import type { Driver } from './context.js';
import type { AuthenticatorRow } from '../keyring/authenticator-row.js';
import { authenticatorsToLock, proveCode } from './prove-code.js';
import { provePassword } from './prove-password.js';
import { onlySignIn, readSignIn, saveSignIn, signInToLock, type StoredSignIn } from './store.js';

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
  settle: (step: (work: Work) => Promise<StoredSignIn>, opening?: readonly Statement[]) => Promise<T>,
): Promise<T> {
  if (proof.kind === 'code')
    // A code is checked in a moment, so everything happens under the locks that the opening reads take.
    return await settle(
      async (work) => {
        const [signIns, authenticators] = work.opened;
        const stored = onlySignIn(signIns!);
        assertAnswers(stored, mine, proof.kind);
        return (
          expireIfLate(work, stored) ??
          (await proveCode(deps, work, driver, stored, authenticators as AuthenticatorRow[], proof.value))
        );
      },
      [signInToLock(id), authenticatorsToLock(id)],
    );
  const before = await readSignIn(deps, id);
  assertAnswers(before, mine, proof.kind);
  if (deps.now().getTime() >= before.signIn.expiresAt)
    return await settle(async (work) => {
      const stored = await readSignIn(work, id, true);
      return expireIfLate(work, stored) ?? stored;
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

function expireIfLate(work: Work, stored: StoredSignIn): StoredSignIn | undefined {
  const signIn = advance(stored.signIn, { type: 'time-passed' }, work.now.getTime());
  return signIn.state === 'expired' ? saveSignIn(work, stored, signIn) : undefined;
}
