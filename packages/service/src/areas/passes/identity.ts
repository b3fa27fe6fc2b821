import type { Id } from '@nimble-latch/core/vocabulary';

/** What a pass is bound to, so that a hash of one is of use at no other. */
export const passIdentity = (id: Id): string => `pass ${id}`;
