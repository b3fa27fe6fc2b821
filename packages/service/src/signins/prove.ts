import { hasPin } from '@nimble-latch/core/codes';
import { advance, promptOf } from '@nimble-latch/core/signin';
import type { PromptKind, Id } from '@nimble-latch/core/vocabulary';
import type { Opening, Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { badField, Refusal } from '../errors.js';
import { PinChecks } from '../keyring/pins.js';
import type { Driver } from './context.js';
import { codesOf, openingOf, proveCode, warmPins } from './prove-code.js';
import { queueOf } from './lanes.js';
import { provePin, renewPin } from './prove-pin.js';
import { provePassword } from './prove-password.js';
import type { Credential, ShownAt } from './key-prompt.js';
import { keyIn, openingOf as openingOfKey, proveWebauthn } from './prove-webauthn.js';
import { renewPassword } from './renew-password.js';
import { onlySignIn, readSignIn, saveSignIn, type StoredSignIn } from './store.js';

/** What answers a prompt: what was typed or chosen, or what a key said. */
export interface Proof {
  readonly kind: PromptKind;
  readonly value?: string | undefined;
  readonly credential?: Credential | undefined;
}

/** Proofs that are hashed, and so decided in several steps. */
const AFTER_HASHING: Partial<Record<PromptKind, typeof provePassword>> = {
  password: provePassword,
  'new-password': renewPassword,
  'new-pin': renewPin,
};

/**
 * Answers the prompt of a sign-in.
 *
 * @param mine whether the caller may drive this sign-in; to anybody else it does not exist
 * @param at whose pages it is shown on
 * @param settle runs the deciding step in the caller's transaction and makes the reply of what it brought
 */
export async function prove<T>(
  deps: Deps,
  driver: Driver,
  id: Id,
  mine: (stored: StoredSignIn) => boolean,
  proof: Proof,
  settle: (step: (work: Work) => Promise<StoredSignIn>, opening?: Opening) => Promise<T>,
  at: ShownAt = 'ours',
): Promise<T> {
  const { kind, value = '' } = proof;
  if (kind === 'webauthn') {
    const { credential } = proof;
    if (!credential) throw badField('body.credential', 'missing');
    return await settle(
      async (work) => {
        const rows = work.opened;
        const stored = onlySignIn(rows);
        assertAnswers(stored, mine, kind);
        const late = expireIfLate(work, stored);
        return late ?? (await proveWebauthn(deps, work, driver, stored, { credential, row: keyIn(rows), at }));
      },
      openingOfKey(deps, id, credential),
    );
  }
  if (proof.value === undefined) throw badField('body.value', 'missing');
  if (kind === 'code' || kind === 'next-code' || kind === 'text') {
    const pins = new PinChecks(deps);
    const opening = openingOf(deps, id);
    // Where letting in writes more than the proof, the step holds locks: what is hashed is hashed before it takes them.
    if (kind === 'text' || hasPin(value)) {
      const rows = await opening.ahead();
      const stored = onlySignIn(rows);
      assertAnswers(stored, mine, kind);
      pins.queueAs(queueOf(stored, driver));
      await warmPins(deps, pins, stored, codesOf(rows), value);
    }
    // A code is checked in a moment: it is read, decided and written in one go.
    return await settle(async (work) => {
      const rows = work.opened;
      const stored = onlySignIn(rows);
      assertAnswers(stored, mine, kind);
      const answer = kind === 'text' ? provePin : proveCode;
      pins.queueAs(queueOf(stored, driver));
      return expireIfLate(work, stored) ?? (await answer(deps, work, driver, stored, codesOf(rows), value, pins));
    }, opening);
  }
  if (proof.kind === 'choose')
    return await settle(async (work) => {
      const stored = await readSignIn(work, id, true);
      return expireIfLate(work, stored) ?? choose(work, stored, mine, value);
    });
  const answer = AFTER_HASHING[kind];
  // A kind that nothing here answers is refused, and falls to nobody.
  if (!answer) throw badField('body.kind', 'other-prompt', { kind: Object.keys(AFTER_HASHING).join(', ') });
  const before = await readSignIn(deps, id);
  assertAnswers(before, mine, proof.kind);
  if (deps.now().getTime() >= before.signIn.expiresAt)
    return await settle(async (work) => {
      const stored = await readSignIn(work, id, true);
      return expireIfLate(work, stored) ?? stored;
    });
  return await answer(deps, driver, before, value, settle);
}

/** Where letting in writes more than the proof (a session, a code), the step needs its transaction from the start: it is not begun twice. */
export const behindLocks = (opening: Opening | undefined): Opening | undefined =>
  opening && { ...opening, locked: true };

/** The person wants to be asked for something else that would do. */
function choose(
  work: Work,
  stored: StoredSignIn,
  mine: (stored: StoredSignIn) => boolean,
  wanted: string,
): StoredSignIn {
  if (!mine(stored)) throw new Refusal('not-found');
  const prompt = promptOf(stored.signIn);
  if (!prompt) throw new Refusal('sign-in-ended');
  const choices = prompt.others.map(({ methods }) => methods[0]!);
  const method = choices.find((choice) => choice === wanted);
  if (!method) throw badField('body.value', 'one-of', { values: choices.join(', ') });
  return saveSignIn(work, stored, advance(stored.signIn, { type: 'chosen', method }, work.now.getTime()));
}

function assertAnswers(stored: StoredSignIn, mine: (stored: StoredSignIn) => boolean, kind: PromptKind): void {
  if (!mine(stored)) throw new Refusal('not-found');
  const prompt = promptOf(stored.signIn);
  if (!prompt) throw new Refusal('sign-in-ended');
  if (prompt.kind !== kind) throw badField('body.kind', 'other-prompt', { kind: prompt.kind });
}

function expireIfLate(work: Work, stored: StoredSignIn): StoredSignIn | undefined {
  const signIn = advance(stored.signIn, { type: 'time-passed' }, work.now.getTime());
  return signIn.state === 'expired' ? saveSignIn(work, stored, signIn) : undefined;
}
