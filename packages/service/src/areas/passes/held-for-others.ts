import type { Answer } from '@nimble-latch/api';
import type { Id } from '@nimble-latch/core/vocabulary';
import { placesOf } from '../keyring/places.js';
import { select, type Db } from '../../platform/db/sql.js';
import { idBytes, idText } from '../../platform/ids.js';

/** Passes that somebody holds for others and that have not ended. */
export async function heldForOthers(db: Db, holder: Id): Promise<Answer<'own.show'>['holds']> {
  const rows = await select<{
    id: Buffer;
    display_name: string;
    valid_from: Date;
    valid_until: Date;
    left: number;
    restricted: number;
    only_at: string | null;
    reason: string;
  }>(
    db,
    `SELECT a.id, p.display_name, a.valid_from, a.valid_until, CAST(v.uses_most AS SIGNED) - v.uses AS \`left\`, a.restricted, v.reason,
       (SELECT CAST(JSON_ARRAYAGG(JSON_OBJECT('id', LOWER(HEX(n.id)), 'name', n.name)) AS CHAR) FROM authenticator_applications x
         JOIN applications n ON n.id = x.application_id WHERE x.authenticator_id = a.id) AS only_at
     FROM passes v JOIN authenticators a ON a.id = v.authenticator_id JOIN persons p ON p.id = a.person_id
     WHERE v.held_by = :holder AND v.settled_at IS NULL AND a.state = 'active' AND a.valid_until > UTC_TIMESTAMP(3) ORDER BY a.id DESC LIMIT 50`,
    { holder: idBytes(holder) },
  );
  return rows.map((row) => ({
    id: idText(row.id),
    person: row.display_name,
    from: row.valid_from.toISOString(),
    until: row.valid_until.toISOString(),
    left: Number(row.left),
    onlyAt: row.restricted === 1 ? placesOf(row.only_at).map(({ name }) => name) : null,
    reason: row.reason,
  }));
}
