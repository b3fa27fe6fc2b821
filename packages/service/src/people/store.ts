import type { Answer } from '@nimble-latch/api';
import type { LoginNameKind, PersonState, Role, Source } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../db/cursor.js';
import { likePrefix, select, selectOne, type Db, type SqlValues } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { notFound } from '../errors.js';
import { key, text } from '../ids.js';

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
  version: number;
  created_at: Date;
  updated_at: Date;
}

/** One person with names, groups and roles; contact data opened. Throws not-found. */
export async function readPerson(deps: Deps, db: Db, id: string): Promise<Person> {
  const row = await selectOne<PersonColumns>(db, 'SELECT * FROM persons WHERE id = :id', { id: key(id) });
  if (!row) throw notFound();
  const [names, groups, roles] = await Promise.all([
    select<{ id: Buffer; value: string; kind: LoginNameKind; source: Source }>(
      db,
      'SELECT id, value, kind, source FROM login_names WHERE person_id = :id ORDER BY id',
      { id: row.id },
    ),
    select<{ id: Buffer; name: string }>(
      db,
      'SELECT g.id, g.name FROM group_members m JOIN person_groups g ON g.id = m.group_id WHERE m.person_id = :id ORDER BY g.name',
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
    loginNames: names.map((name) => ({ ...name, id: text(name.id) })),
    groups: groups.map((group) => ({ id: text(group.id), name: group.name })),
    roles: roles.map(({ role }) => role),
    createdAt: row.created_at.toISOString(),
    updatedAt: row.updated_at.toISOString(),
    version: row.version,
  };
}

async function openContact(deps: Deps, id: string, field: ContactField, sealed: Buffer | null): Promise<string | null> {
  if (!sealed) return null;
  return (await deps.keys.opening((keys) => keys.open('contact', `person/${id}/${field}`, sealed))).toString();
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

export interface PeopleFilter {
  readonly q?: string | undefined;
  /** Normalised. */
  readonly loginName?: string | undefined;
  readonly group?: string | undefined;
  readonly state?: PersonState | undefined;
  readonly limit: number;
  readonly cursor?: string | undefined;
}

/** A page of people by name. */
export async function listPeople(db: Db, filter: PeopleFilter): Promise<Answer<'people.list'>> {
  const after = decodeCursor(filter.cursor, ['string', 'id']);
  const where: string[] = ['1 = 1'];
  if (filter.q !== undefined)
    where.push('(p.display_name LIKE :q OR p.id IN (SELECT person_id FROM login_names WHERE value LIKE :qName))');
  if (filter.loginName !== undefined) where.push('p.id = (SELECT person_id FROM login_names WHERE value = :loginName)');
  if (filter.group !== undefined) where.push('p.id IN (SELECT person_id FROM group_members WHERE group_id = :group)');
  if (filter.state !== undefined) where.push('p.state = :state');
  if (after) where.push('(p.display_name > :afterName OR (p.display_name = :afterName AND p.id > :afterId))');
  const rows = await select<{ id: Buffer; display_name: string; state: PersonState }>(
    db,
    `SELECT p.id, p.display_name, p.state FROM persons p WHERE ${where.join(' AND ')} ORDER BY p.display_name, p.id LIMIT :limit`,
    {
      q: likePrefix(filter.q ?? ''),
      qName: likePrefix((filter.q ?? '').toLowerCase()),
      loginName: filter.loginName ?? '',
      group: filter.group ? key(filter.group) : null,
      state: filter.state ?? null,
      afterName: after?.[0] ?? '',
      afterId: after ? key(after[1]) : null,
      limit: filter.limit + 1,
    },
  );
  const page = pageOf(rows, filter.limit, (row) => [row.display_name, text(row.id)]);
  const facts = await factsOf(
    db,
    page.rows.map((row) => row.id),
  );
  return {
    rows: page.rows.map((row) => ({
      id: text(row.id),
      displayName: row.display_name,
      state: row.state,
      ...facts(row.id),
    })),
    next: page.next,
  };
}

type RowFacts = Pick<
  Answer<'people.list'>['rows'][number],
  'loginNames' | 'roles' | 'factors' | 'hasPassword' | 'lastProofAt'
>;

/** What the rows of one page show beside the name, read for all of them at once. */
async function factsOf(db: Db, ids: Buffer[]): Promise<(id: Buffer) => RowFacts> {
  const facts = new Map<string, RowFacts>();
  const of = (id: Buffer): RowFacts => {
    const found = facts.get(text(id)) ?? {
      loginNames: [],
      roles: [],
      factors: 0,
      hasPassword: false,
      lastProofAt: null,
    };
    facts.set(text(id), found);
    return found;
  };
  if (ids.length === 0) return of;
  const [names, roles, held] = await Promise.all([
    select<{ person_id: Buffer; value: string }>(
      db,
      'SELECT person_id, value FROM login_names WHERE person_id IN (:ids) ORDER BY id',
      { ids },
    ),
    select<{ person_id: Buffer; role: Role }>(
      db,
      'SELECT person_id, role FROM role_grants WHERE person_id IN (:ids) ORDER BY role',
      { ids },
    ),
    select<{ person_id: Buffer; factors: number; passwords: number; last: Date | null }>(
      db,
      `SELECT person_id, SUM(state = 'active' AND method <> 'password') AS factors, SUM(state = 'active' AND method = 'password') AS passwords,
         MAX(last_used_at) AS last FROM authenticators WHERE person_id IN (:ids) GROUP BY person_id`,
      { ids },
    ),
  ]);
  for (const row of names) of(row.person_id).loginNames.push(row.value);
  for (const row of roles) of(row.person_id).roles.push(row.role);
  for (const row of held)
    Object.assign(of(row.person_id), {
      factors: Number(row.factors),
      hasPassword: Number(row.passwords) > 0,
      lastProofAt: row.last?.toISOString() ?? null,
    });
  return of;
}

/** Active owners other than this person. */
export async function otherOwners(db: Db, personId: string): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    "SELECT COUNT(*) AS n FROM role_grants r JOIN persons p ON p.id = r.person_id WHERE r.role = 'owner' AND p.state = 'active' AND p.id <> :id",
    { id: key(personId) },
  );
  return Number(row?.n ?? 0);
}

export async function holdsRole(db: Db, personId: string, role: Role): Promise<boolean> {
  return (
    (await selectOne(db, 'SELECT 1 AS one FROM role_grants WHERE person_id = :id AND role = :role', {
      id: key(personId),
      role,
    })) !== undefined
  );
}
