import type { Id, OperatorReason } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../platform/deps.js';
import type { StoredSignIn } from './stored.js';

/** The decoy of sign-ins that a change of their person has made worthless ({@link endAccess}). */
export const decoyOfStopped = (deps: Pick<Deps, 'keys'>, person: Id): Buffer =>
  deps.keys.current.decoyId(`stopped ${person}`);

/**
 * Why a proof of a sign-in that has nobody behind it counts for nothing; for operators.
 *
 * @param lacking why, where there is somebody, and they have nothing that could answer
 */
export function whyNobody(
  deps: Pick<Deps, 'keys'>,
  { decoyId, personId }: Pick<StoredSignIn, 'decoyId' | 'personId'>,
  lacking: OperatorReason,
): OperatorReason {
  if (!decoyId) return lacking;
  if (personId === null) return 'person-unknown';
  return decoyId.equals(decoyOfStopped(deps, personId)) ? 'overtaken' : 'person-deactivated';
}
