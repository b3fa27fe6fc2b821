import type { LoginName } from '@nimble-latch/core/loginnames';
import { nameKey, nameTerms } from '@nimble-latch/core/people';
import type { PersonState, Source, Id } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId } from '../../platform/ids.js';
import { contactColumns } from './contact.js';

export interface NewPerson {
  readonly displayName: string;
  readonly loginNames: readonly LoginName[];
  readonly mail: string | null;
  readonly phone: string | null;
  readonly language: string;
  readonly timeZone: string;
  readonly source: Source;
  readonly state?: PersonState;
  /** The mapping whose file brings them. */
  readonly mappingId?: Buffer | null;
}

/** The rows of somebody new, by table, in the order in which they can be written. */
export interface PersonRows {
  readonly persons: (SqlValues & { readonly nameKey: string })[];
  readonly person_terms: SqlValues[];
  readonly login_names: SqlValues[];
}

/** What a new person is made of, with everything that lists are sorted and searched by. */
export function personRows(deps: Deps, id: Id, person: NewPerson, at: Date): PersonRows {
  const personId = idBytes(id);
  const folded = nameKey(person.displayName);
  return {
    persons: [
      {
        id: personId,
        displayName: person.displayName,
        state: person.state ?? 'active',
        source: person.source,
        ...contactColumns(deps, id, 'mail', person.mail),
        ...contactColumns(deps, id, 'phone', person.phone),
        language: person.language,
        timeZone: person.timeZone,
        createdAt: at,
        updatedAt: at,
        nameKey: folded,
      },
    ],
    person_terms: nameTerms(folded).map((term) => ({ term, personId })),
    login_names: person.loginNames.map(({ value, kind }) => ({
      id: idBytes(newId({ ...deps, now: () => at })),
      personId,
      value,
      kind,
      source: person.source,
      mappingId: person.mappingId ?? null,
    })),
  };
}

/**
 * Writes rows by table, each table in one statement, one after the other: rows refer to rows of the tables before theirs, and what is
 * sent behind a statement that failed would stand outside the transaction.
 */
export async function insertRows(
  db: Db & { readonly transaction: object },
  rows: Readonly<Record<string, readonly SqlValues[]>>,
): Promise<void> {
  for (const [table, those] of Object.entries(rows)) if (those.length > 0) await insertAll(db, table, those);
}
