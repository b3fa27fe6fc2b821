import type { Method, MethodPurpose, Qualifier } from '../vocabulary.js';
import type { Way } from './way.js';

/** An active authenticator, as far as ways go by it. */
export interface Usable {
  readonly id: string;
  readonly method: Method;
  /** What carries it; null for what is on nothing, such as a password. */
  readonly carrier: string | null;
  /** What can be asked of it. */
  readonly can: readonly Qualifier[];
  readonly preferred: boolean;
  /** Applications at which it may be used, where it is kept to some. */
  readonly onlyAt?: readonly string[];
  /** What alone it was given for, whatever its method may be used for. */
  readonly onlyFor?: readonly MethodPurpose[];
  /** Of a pass that somebody else holds: who. It opens applications in its person's name, and no place of our own. */
  readonly delegate?: string;
}

/** What of a keyring may be used at an application, which is there for a purpose. */
export const keyringAt = (keyring: readonly Usable[], application: string, purpose: MethodPurpose): readonly Usable[] =>
  keyring.filter(
    ({ onlyAt, onlyFor }) =>
      (onlyAt === undefined || onlyAt.includes(application)) && (onlyFor === undefined || onlyFor.includes(purpose)),
  );

/**
 * The authenticators that would serve a way, one for each of its proofs in their order; undefined where the keyring does
 * not suffice. What is on one carrier counts as one possession, however many authenticators that are: of two proofs, no two
 * may come from it. The preferred one comes first where several would do.
 */
export function serveWay(way: Way, keyring: readonly Usable[]): readonly Usable[] | undefined {
  const candidates = way.map(({ method, qualifiers }) =>
    keyring
      .filter((one) => one.method === method && qualifiers.every((qualifier) => one.can.includes(qualifier)))
      .sort((a, b) => Number(b.preferred) - Number(a.preferred)),
  );
  const taken: Usable[] = [];
  const free = (one: Usable) =>
    taken.every((other) => other.id !== one.id && (one.carrier === null || other.carrier !== one.carrier));
  // Ways are a few proofs and keyrings a few dozen entries, so trying is quick; a choice made early is taken back.
  const from = (at: number): boolean => {
    if (at === candidates.length) return true;
    for (const one of candidates[at]!) {
      if (!free(one)) continue;
      taken.push(one);
      if (from(at + 1)) return true;
      taken.pop();
    }
    return false;
  };
  return from(0) ? [...taken] : undefined;
}
