import { coverageOf, nameKey, nameTerms, SEEN_DAYS, seenOf } from '@nimble-latch/core/people';
import type { Method, Id } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { select, write, type Db, type Statement } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';

/**
 * What lists of people are sorted, searched and filtered by; it follows from the person's other rows. Whoever changes
 * those calls the matching function here, in the same transaction.
 */

/** After a person was added or renamed. */
export async function refreshName(db: Db, id: Buffer, displayName: string): Promise<void> {
  const folded = nameKey(displayName);
  const values = { id, nameKey: folded };
  await write(db, 'UPDATE persons SET name_key = :nameKey WHERE id = :id', values);
  await write(db, 'UPDATE group_members SET name_key = :nameKey WHERE person_id = :id', values);
  await write(db, 'UPDATE person_methods SET name_key = :nameKey WHERE person_id = :id', values);
  await write(db, 'DELETE FROM person_terms WHERE person_id = :id', { id });
  const terms = nameTerms(folded);
  if (terms.length > 0)
    await insertAll(
      db,
      'person_terms',
      terms.map((term) => ({ term, personId: id })),
    );
}

/** After something on a keyring became active, or stopped being so. */
export async function refreshKeyring(db: Db, personId: Id): Promise<void> {
  const id = idBytes(personId);
  const rows = await select<{ method: Method }>(
    db,
    // What somebody else holds for them is nothing that they could prove themselves with.
    `SELECT DISTINCT method FROM authenticators a WHERE person_id = :id AND state = 'active'
       AND NOT EXISTS (SELECT 1 FROM passes v WHERE v.authenticator_id = a.id AND v.held_by IS NOT NULL)`,
    { id },
  );
  const methods = rows.map((row) => row.method);
  await write(db, 'DELETE FROM person_methods WHERE person_id = :id', { id });
  for (const method of methods)
    await write(
      db,
      'INSERT INTO person_methods (person_id, method, name_key) SELECT id, :method, name_key FROM persons WHERE id = :id',
      { id, method },
    );
  await write(db, 'UPDATE persons SET coverage = :coverage WHERE id = :id', { id, coverage: coverageOf(methods) });
}

/** How old `last_seen_at` may get before a sign-in writes it anew: lists tell days, and a write for each would cost. */
const SEEN_AGAIN_MS = 6 * 3_600_000;

/** The write that notes a sign-in of somebody, where one is due. */
export function seenWrite(personId: Id, lastSeenAt: Date | null, now: Date): Statement | undefined {
  if (lastSeenAt && now.getTime() - lastSeenAt.getTime() < SEEN_AGAIN_MS) return undefined;
  return {
    sql: "UPDATE persons SET last_seen_at = :now, seen = 'this-week' WHERE id = :id",
    values: { id: idBytes(personId), now },
  };
}

const AGEING = [
  ['this-week', 'this-month', SEEN_DAYS['this-week']],
  ['this-month', 'this-quarter', SEEN_DAYS['this-month']],
  ['this-quarter', 'longer-ago', SEEN_DAYS['this-quarter']],
] as const;

/** Moves people whose last sign-in has become older to the next step, some thousand at a time. */
export async function ageSeen(deps: Deps): Promise<string> {
  const db = { sequelize: deps.sequelize };
  let total = 0;
  for (const [from, to, days] of AGEING) {
    let moved: number;
    do {
      moved = await write(
        db,
        'UPDATE persons SET seen = :to WHERE seen = :from AND last_seen_at <= :before LIMIT 2000',
        { from, to, before: new Date(deps.now().getTime() - days * 86_400_000) },
      );
      total += moved;
    } while (moved === 2000);
  }
  return `${total} people moved on`;
}

/** Makes the facets of people who were there before facets were; those who came since have theirs. */
export async function fillFacets(deps: Deps): Promise<string> {
  const db = { sequelize: deps.sequelize };
  let total = 0;
  let after: Buffer = Buffer.alloc(16);
  for (;;) {
    const rows = await select<{ id: Buffer; display_name: string }>(
      db,
      "SELECT id, display_name FROM persons WHERE name_key = '' AND id > :after ORDER BY id LIMIT 200",
      { after },
    );
    if (rows.length === 0) return `${total} people indexed`;
    for (const row of rows)
      await inTransaction(deps, async (work) => {
        await refreshName(work, row.id, row.display_name);
        await refreshKeyring(work, idText(row.id));
        const [last] = await select<{ at: Date | null }>(
          work,
          'SELECT MAX(last_used_at) AS at FROM authenticators WHERE person_id = :id',
          { id: row.id },
        );
        await write(work, 'UPDATE persons SET seen = :seen, last_seen_at = :at WHERE id = :id', {
          id: row.id,
          at: last?.at ?? null,
          seen: seenOf(last?.at ?? undefined, work.now),
        });
      });
    total += rows.length;
    after = rows[rows.length - 1]!.id;
  }
}

/** After keys stopped counting, or count again, for many at once: the facets of everybody who holds one, some people at a time. */
export async function refreshKeyHolders(deps: Deps): Promise<string> {
  let total = 0;
  let after: Buffer = Buffer.alloc(16);
  for (;;) {
    const rows = await select<{ id: Buffer }>(
      deps,
      `SELECT DISTINCT a.person_id AS id FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
       WHERE a.person_id > :after ORDER BY a.person_id LIMIT 100`,
      { after },
    );
    if (rows.length === 0) return `${total} people looked at`;
    await inTransaction(deps, async (work) => {
      for (const { id } of rows) await refreshKeyring(work, idText(id));
    });
    total += rows.length;
    after = rows[rows.length - 1]!.id;
  }
}
