import { parseId } from '@nimble-latch/core/vocabulary';
import type { About } from '@nimble-latch/api';
import type { Concerned } from '@nimble-latch/core/access';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import { idBytes, idText } from '../../platform/ids.js';

type OnePerson = Exclude<About, 'everybody' | 'within'>;

/** Where the person stands whom a parameter names, by what it names. */
const SOURCES = {
  person: 'SELECT id FROM persons WHERE id = :id',
  authenticator: 'SELECT person_id AS id FROM authenticators WHERE id = :id',
  carrier: 'SELECT person_id AS id FROM carriers WHERE id = :id',
  invitation: 'SELECT person_id AS id FROM invitations WHERE id = :id',
  dispute: 'SELECT person_id AS id FROM change_notices WHERE id = :id',
  signIn: 'SELECT person_id AS id FROM sign_ins WHERE id = :id',
} as const;

/**
 * The person whom a call is about; undefined where what it names is not there, is nobody's, or is named in no way that an id
 * could be: the gate takes that for somebody out of reach.
 */
export async function concernedBy(
  db: Db,
  about: OnePerson,
  params: Readonly<Record<string, unknown>>,
): Promise<Concerned | undefined> {
  const [[what, parameter]] = Object.entries(about) as [[keyof typeof SOURCES, string]];
  const named = params[parameter];
  const id = typeof named === 'string' ? parseId(named) : undefined;
  if (id === undefined) return undefined;
  const row = await selectOne<{ id: Buffer | null }>(db, SOURCES[what], { id: idBytes(id) });
  return row?.id ? await readConcerned(db, row.id) : undefined;
}

/** What protects a person, and the groups by which roles reach them. */
export async function readConcerned(db: Db, id: Buffer): Promise<Concerned | undefined> {
  const row = await selectOne<{ emergency: number; administrator: number }>(
    db,
    'SELECT emergency, EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = p.id) AS administrator FROM persons p WHERE id = :id',
    { id },
  );
  if (!row) return undefined;
  const groups = await select<{ id: Buffer }>(
    db,
    `SELECT group_id AS id FROM group_members WHERE person_id = :id
     UNION SELECT c.whole_id FROM group_members m JOIN group_closure c ON c.part_id = m.group_id WHERE m.person_id = :id`,
    { id },
  );
  return {
    id: idText(id),
    groups: groups.map((group) => idText(group.id)),
    administrator: Number(row.administrator) === 1,
    emergency: Number(row.emergency) === 1,
  };
}
