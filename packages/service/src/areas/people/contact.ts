import type { SqlValues } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { openSound } from '../../platform/secrets/open-sound.js';

/** A contact field as it was written; null where there is none, or none that opens. */
export async function openContact(
  deps: Pick<Deps, 'keys' | 'log'>,
  id: string,
  field: ContactField,
  sealed: Buffer | null,
): Promise<string | null> {
  if (!sealed) return null;
  return (await openSound(deps, 'contact', `person/${id}/${field}`, sealed))?.toString() ?? null;
}

export type ContactField = 'mail' | 'phone';

/** The columns of a contact field: sealed, and its blind index for exact search. */
export function contactColumns(deps: Deps, id: string, field: ContactField, value: string | null): SqlValues {
  const keys = deps.keys.current;
  return {
    [`${field}Sealed`]:
      value === null ? null : keys.seal('contact', `person/${id}/${field}`, Buffer.from(value), deps.random(12)),
    // Mail addresses are compared without case, as people write them.
    [`${field}Index`]: value === null ? null : keys.blindIndex(field, field === 'mail' ? value.toLowerCase() : value),
  };
}
