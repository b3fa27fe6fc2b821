import { hint, type ErrorCode, type FieldIssue, type HintId } from '@nimble-latch/api';

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
