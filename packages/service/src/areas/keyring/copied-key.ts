import type { verifyAssertion } from '@nimble-latch/core/webauthn';
import type { Id } from '@nimble-latch/core/vocabulary';
import type { Statement } from '../../platform/db/sql.js';
import { entryOf } from '../../platform/http/actors.js';

/**
 * Whether there may be two of a key: its counter did not go on (Web Authentication Level 3, §6.1.1 and §7.2 step 22), whether it counts
 * by the method settings or not.
 */
export const mayBeCopied = (checked: ReturnType<typeof verifyAssertion>): boolean =>
  checked.ok ? checked.copied : checked.reason === 'counter';

/** Somebody must see it. */
export const copiedAt = (authenticator: Buffer, now: Date): Statement => ({
  sql: 'UPDATE webauthn_credentials SET copied_at = :now WHERE authenticator_id = :id',
  values: { now, id: authenticator },
});

/** The entry of it, by who or what it was found out. */
export const copiedEntry = (
  doer: Parameters<typeof entryOf>[0],
  person: Id | null,
  id: Id,
  details: { signIn?: Id } = {},
) => entryOf(doer, 'authenticator.copied', { kind: 'authenticator', id }, { person, details });
