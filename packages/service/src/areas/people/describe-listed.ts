import type { Answer } from '@nimble-latch/api';
import type { Coverage, Id, Method, PersonState, Role, Source } from '@nimble-latch/core/vocabulary';
import { select, type Db } from '../../platform/db/sql.js';
import { idBytes, idText } from '../../platform/ids.js';
import { withParts } from './parts.js';

/** A person as a page of a list reads them. */
export interface ListedRow {
  id: Buffer;
  display_name: string;
  state: PersonState;
  source: Source;
  coverage: Coverage;
  last_seen_at: Date | null;
  emergency: number;
  /** What the row is sorted by, beside its id. */
  sort: string;
}

export const LISTED = 'p.id, p.display_name, p.state, p.source, p.coverage, p.last_seen_at, p.emergency';

type Row = Answer<'people.list'>['rows'][number];
type RowFacts = Pick<
  Row,
  'loginNames' | 'roles' | 'groups' | 'serials' | 'methods' | 'factors' | 'hasPassword' | 'lastProofAt'
>;

/**
 * The rows of a page with everything that they show.
 *
 * @param within groups that whoever asks is limited to: names of others are left out
 */
export async function described(db: Db, rows: readonly ListedRow[], within: readonly Id[] | undefined): Promise<Row[]> {
  const facts = await factsOf(
    db,
    rows.map((row) => row.id),
    within && (await withParts(db, within.map(idBytes))),
  );
  return rows.map((row) => ({
    id: idText(row.id),
    displayName: row.display_name,
    state: row.state,
    source: row.source,
    coverage: row.coverage,
    emergency: row.emergency === 1,
    lastSeenAt: row.last_seen_at?.toISOString() ?? null,
    ...facts(row.id),
  }));
}

/** What the rows of one page show beside the name, read for all of them at once. */
async function factsOf(
  db: Db,
  ids: Buffer[],
  within: readonly Buffer[] | undefined,
): Promise<(id: Buffer) => RowFacts> {
  const facts = new Map<string, RowFacts>();
  const of = (id: Buffer): RowFacts => {
    const known = facts.get(idText(id));
    if (known) return known;
    const blank: RowFacts = {
      loginNames: [],
      roles: [],
      groups: [],
      serials: [],
      methods: [],
      factors: 0,
      hasPassword: false,
      lastProofAt: null,
    };
    facts.set(idText(id), blank);
    return blank;
  };
  if (ids.length === 0) return of;
  const [names, roles, groups, carriers, held] = await Promise.all([
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
    within?.length === 0
      ? []
      : select<{ person_id: Buffer; name: string }>(
          db,
          `SELECT m.person_id, g.name FROM group_members m JOIN person_groups g ON g.id = m.group_id
           WHERE m.person_id IN (:ids) ${within ? 'AND m.group_id IN (:within)' : ''} ORDER BY g.name`,
          { ids, ...(within ? { within: [...within] } : {}) },
        ),
    select<{ person_id: Buffer; serial: string }>(
      db,
      'SELECT person_id, serial FROM carriers WHERE person_id IN (:ids) AND serial IS NOT NULL ORDER BY id',
      { ids },
    ),
    select<{ person_id: Buffer; method: Method; n: number; last: Date | null }>(
      db,
      `SELECT person_id, method, COUNT(*) AS n, MAX(last_used_at) AS last FROM authenticators
       WHERE person_id IN (:ids) AND state = 'active' GROUP BY person_id, method`,
      { ids },
    ),
  ]);
  for (const row of names) of(row.person_id).loginNames.push(row.value);
  for (const row of roles) of(row.person_id).roles.push(row.role);
  for (const row of groups) of(row.person_id).groups.push(row.name);
  for (const row of carriers) of(row.person_id).serials.push(row.serial);
  for (const row of held) {
    const fact = of(row.person_id);
    fact.methods.push(row.method);
    if (row.method === 'password') fact.hasPassword = true;
    else fact.factors += Number(row.n);
    const last = row.last?.toISOString() ?? null;
    if (last !== null && (fact.lastProofAt === null || last > fact.lastProofAt)) fact.lastProofAt = last;
  }
  return of;
}
