import { hint, type ErrorCode, type FieldIssue, type HintId } from '@nimble-latch/api';
import type { Permission } from '@nimble-latch/core/vocabulary';
import type { Deps } from './deps.js';
import type { OperatorActor } from './http/actors.js';

/** A use case says no. The code comes from the one table; the sentence is made where it is shown. */
export class Refusal extends Error {
  constructor(
    readonly code: ErrorCode,
    readonly facts: Readonly<Record<string, string | number | boolean>> = {},
    /** Their `what` are hints, or what a schema says of itself. */
    readonly issues: readonly FieldIssue[] = [],
  ) {
    super(code);
  }
}

/** Too many attempts: the next one after a pause, which ends at `until`. Both in milliseconds since 1970. */
export const throttledUntil = (until: number, now: number) =>
  new Refusal('throttled', { seconds: Math.max(1, Math.ceil((until - now) / 1000)) });

export const notFound = () => new Refusal('not-found');

/** One field is wrong in a way that only the use case can see. */
export const badField = (where: string, id: HintId, facts?: Refusal['facts']) =>
  new Refusal('invalid-input', {}, [{ where, what: hint(id, facts) }]);

/**
 * A use case asks for something else first (a second administrator's yes): nothing of it stands, and what it asks for is done apart.
 */
export abstract class AsksFirst extends Error {
  /** Does what is asked for, in a transaction of its own; answers what the caller is told. */
  abstract ask(deps: Deps): Promise<Refusal>;
}

/** Refused for want of a permission: goes on the trail, with who tried. */
export class PermissionRefusal extends Refusal {
  constructor(
    readonly actor: OperatorActor,
    permission: Permission,
    why: ErrorCode,
  ) {
    super(why, { permission });
  }
}
