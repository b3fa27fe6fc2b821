import type { Usable } from '../assurance/index.js';
import { takesPin } from '../methods/index.js';
import type { OperatorReason, PromptKind, SignInState } from '../vocabulary.js';
import { canAnswer, leftOf, type Requirement } from './requirement.js';
import { advance, beginSignIn, promptOf } from './state.js';

/** What somebody would meet if they proved everything right. */
export interface Foreseen {
  readonly state: Exclude<SignInState, 'asking' | 'expired'>;
  /** The prompts they would be shown, in their order. */
  readonly asks: readonly PromptKind[];
  /** Authenticators that would answer, one for each prompt. */
  readonly serves: readonly string[];
  /** What they would have proved, in order: `password + totp`; null where they would not get in. */
  readonly way: string | null;
  /** Why it would not let them in; null where it would. */
  readonly reason: OperatorReason | null;
}

/**
 * Runs the state machine itself with nothing but right proofs, so that what is foretold is what happens.
 *
 * @param claimed whether the application vouches for the password
 * @param graceUntil until when they get in without a usable authenticator
 */
export function foresee(
  requirement: Requirement,
  keyring: readonly Usable[],
  promptKinds: readonly PromptKind[],
  claimed: boolean,
  nowMs: number,
  graceUntil?: number,
): Foreseen {
  const asks: PromptKind[] = [];
  const serves: string[] = [];
  const grace = graceUntil === undefined ? {} : { graceUntil };
  let signIn = beginSignIn(requirement, keyring, claimed ? [...promptKinds, 'password'] : promptKinds, nowMs);
  if (claimed) {
    const proof = { method: 'password', id: null, carrier: null, can: [] } as const;
    signIn = advance(signIn, { type: 'right', proof, keyring, claimed, ...grace }, nowMs);
  }
  for (let prompt = promptOf(signIn); prompt; prompt = promptOf(signIn)) {
    asks.push(prompt.kind);
    if (prompt.kind === 'new-pin' || prompt.kind === 'new-password') {
      signIn = advance(signIn, { type: 'renewed' }, nowMs);
      continue;
    }
    const { methods } = prompt;
    const one = leftOf(keyring, signIn.proofs).find(
      (held) => methods.includes(held.method) && canAnswer(requirement.outcome, signIn.proofs, held, keyring),
    );
    if (!one) {
      const others = keyring.some(({ method }) => method !== 'password');
      const lacking = others ? 'none-that-fits' : 'no-usable-authenticator';
      const reason = methods.includes('password') ? 'no-password-set' : lacking;
      return { state: 'refused', asks, serves, way: null, reason };
    }
    serves.push(one.id);
    const rules = takesPin(one.method) ? requirement.codes?.[one.method] : undefined;
    const newPin = rules?.pin === 'required' && !one.can.includes('pin');
    signIn = advance(signIn, { type: 'right', proof: one, keyring, newPin, ...grace }, nowMs);
  }
  const state = signIn.state as Foreseen['state'];
  const way = state === 'let-in' ? signIn.proofs.map(({ method }) => method).join(' + ') : null;
  return { state, asks, serves, way, reason: state === 'let-in' ? null : signIn.operatorReason };
}
