import type { OperatorReason, PromptKind, SignInState } from '../vocabulary.js';
import { advance, beginSignIn, promptOf, type FactorRule, type Holding } from './state.js';

/** What somebody would meet if they proved everything right. */
export interface Foreseen {
  readonly state: Exclude<SignInState, 'asking' | 'expired'>;
  /** The prompts they would be shown, in their order. */
  readonly asks: readonly PromptKind[];
  /** Why it would not let them in; null where it would. */
  readonly reason: OperatorReason | null;
}

/**
 * Runs the state machine itself with nothing but right proofs, so that what is foretold is what happens.
 *
 * @param hasPassword whether a password is set; without one the first proof can never be right
 * @param claimed whether the application vouches for the password
 */
export function foresee(rule: FactorRule, holding: Holding, hasPassword: boolean, claimed: boolean): Foreseen {
  const asks: PromptKind[] = [];
  let signIn = beginSignIn(rule, ['password', 'code'], 0);
  for (let prompt = promptOf(signIn); prompt; prompt = promptOf(signIn)) {
    const method = prompt.kind === 'password' ? 'password' : holding.factors[0]!;
    const vouched = claimed && prompt.kind === 'password';
    if (!vouched) asks.push(prompt.kind);
    if (prompt.kind === 'password' && !vouched && !hasPassword)
      return { state: 'refused', asks, reason: 'no-password-set' };
    signIn = advance(signIn, { type: 'right', method, authenticator: null, holding, claimed: vouched }, 0);
  }
  const state = signIn.state as Foreseen['state'];
  return { state, asks, reason: state === 'let-in' ? null : signIn.operatorReason };
}
