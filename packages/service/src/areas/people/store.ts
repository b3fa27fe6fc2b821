import type { Answer } from '@nimble-latch/api';
import type { Id, LoginNameKind, PersonState, Role, Source } from '@nimble-latch/core/vocabulary';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { notFound } from '../../platform/errors.js';
import { idBytes, idText } from '../../platform/ids.js';
import { openContact } from './contact.js';

export type Person = Answer<'people.show'>;

interface PersonColumns {
  id: Buffer;
  display_name: string;
  state: PersonState;
  source: Source;
  mail_sealed: Buffer | null;
  phone_sealed: Buffer | null;
  language: string;
  time_zone: string;
  emergency: number;
  version: number;
  created_at: Date;
  updated_at: Date;
}

/** One person with names, groups and roles; contact data opened. Throws not-found. */
export async function readPerson(deps: Deps, db: Db, id: Id): Promise<Person> {
  const row = await selectOne<PersonColumns>(db, 'SELECT * FROM persons WHERE id = :id', { id: idBytes(id) });
  if (!row) throw notFound();
  const [names, groups, roles] = await Promise.all([
    select<{ id: Buffer; value: string; kind: LoginNameKind; source: Source }>(
      db,
      'SELECT id, value, kind, source FROM login_names WHERE person_id = :id ORDER BY id',
      { id: row.id },
    ),
    select<{ id: Buffer; name: string; through: string | null }>(
      db,
      // In several ways: directly counts before through others, of which one is named.
      `SELECT g.id, g.name, IF(SUM(w.through IS NULL) > 0, NULL, MIN(w.through)) AS through FROM (
         SELECT m.group_id AS id, NULL AS through FROM group_members m WHERE m.person_id = :id
         UNION ALL SELECT c.whole_id, n.name FROM group_members m JOIN group_closure c ON c.part_id = m.group_id
           JOIN person_groups n ON n.id = m.group_id WHERE m.person_id = :id) w
       JOIN person_groups g ON g.id = w.id GROUP BY g.id, g.name ORDER BY g.name`,
      { id: row.id },
    ),
    select<{ role: Role }>(db, 'SELECT role FROM role_grants WHERE person_id = :id ORDER BY role', { id: row.id }),
  ]);
  return {
    id,
    displayName: row.display_name,
    state: row.state,
    source: row.source,
    mail: await openContact(deps, id, 'mail', row.mail_sealed),
    phone: await openContact(deps, id, 'phone', row.phone_sealed),
    language: row.language,
    timeZone: row.time_zone,
    loginNames: names.map((name) => ({ ...name, id: idText(name.id) })),
    groups: groups.map((group) => ({ ...group, id: idText(group.id) })),
    roles: roles.map(({ role }) => role),
    emergency: row.emergency === 1,
    createdAt: row.created_at.toISOString(),
    updatedAt: row.updated_at.toISOString(),
    version: row.version,
  };
}
