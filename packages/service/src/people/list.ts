import type { Answer } from '@nimble-latch/api';
import { nameKey } from '@nimble-latch/core/people';
import type { Coverage, Method, PersonState, Role, Seen, Source } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../db/cursor.js';
import { likePrefix, select, selectOne, type Db, type SqlValues } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { key, text } from '../ids.js';
import { recentCounts, type Facet } from './counts.js';

export interface PeopleFilter {
  readonly q?: string | undefined;
  /** Normalised. */
  readonly loginName?: string | undefined;
  readonly group?: string | undefined;
  readonly state?: PersonState | undefined;
  readonly source?: Source | undefined;
  readonly coverage?: Coverage | undefined;
  readonly seen?: Seen | undefined;
  readonly method?: Method | undefined;
}

interface ListedRow {
  id: Buffer;
  display_name: string;
  state: PersonState;
  source: Source;
  coverage: Coverage;
  last_seen_at: Date | null;
  /** What the row is sorted by, beside its id. */
  sort: string;
}

const LISTED = 'p.id, p.display_name, p.state, p.source, p.coverage, p.last_seen_at';

/** How a filter is met: as the range that the list walks along, or as a condition on each person of another range. */
interface Means {
  readonly from: string;
  /** The columns that this range is sorted by after its own value. */
  readonly sort: readonly [name: string, id: string];
  readonly range: string;
  readonly condition: string;
}

const onPersons = (facet: 'state' | 'source' | 'coverage' | 'seen'): Means => ({
  from: `persons p FORCE INDEX (persons_by_${facet})`,
  sort: ['p.name_key', 'p.id'],
  range: `p.${facet} = :${facet}`,
  condition: `p.${facet} = :${facet}`,
});

const MEANS: Readonly<Record<Facet, Means>> = {
  state: onPersons('state'),
  source: onPersons('source'),
  coverage: onPersons('coverage'),
  seen: onPersons('seen'),
  method: {
    from: 'person_methods d FORCE INDEX (person_methods_by_method) STRAIGHT_JOIN persons p ON p.id = d.person_id',
    sort: ['d.name_key', 'd.person_id'],
    range: 'd.method = :method',
    condition: 'EXISTS (SELECT 1 FROM person_methods f WHERE f.person_id = p.id AND f.method = :method)',
  },
  group: {
    from: 'group_members d FORCE INDEX (group_members_by_name) STRAIGHT_JOIN persons p ON p.id = d.person_id',
    sort: ['d.name_key', 'd.person_id'],
    range: 'd.group_id = :group',
    condition: 'EXISTS (SELECT 1 FROM group_members g WHERE g.person_id = p.id AND g.group_id = :group)',
  },
};
const EVERYBODY: Means = {
  from: 'persons p FORCE INDEX (persons_by_name)',
  sort: ['p.name_key', 'p.id'],
  range: '1 = 1',
  condition: '1 = 1',
};

function facetsOf(filter: PeopleFilter): Facet[] {
  return (Object.keys(MEANS) as Facet[]).filter((facet) => filter[facet] !== undefined);
}

function valuesOf(filter: PeopleFilter): SqlValues {
  return {
    state: filter.state ?? null,
    source: filter.source ?? null,
    coverage: filter.coverage ?? null,
    seen: filter.seen ?? null,
    method: filter.method ?? null,
    group: filter.group ? key(filter.group) : null,
  };
}

/** The range to walk along: of several filters the one that fewest people meet. */
async function rangeFor(deps: Deps, filter: PeopleFilter, facets: readonly Facet[]): Promise<Means> {
  if (facets.length === 0) return EVERYBODY;
  if (facets.length === 1) return MEANS[facets[0]!];
  const counts = await recentCounts(deps);
  const people = (facet: Facet) => counts[facet][filter[facet]!] ?? 0;
  return MEANS[facets.reduce((least, facet) => (people(facet) < people(least) ? facet : least))];
}

/** A page of people by name, each filter along its own index. */
export async function listPeople(
  deps: Deps,
  filter: PeopleFilter,
  page: { readonly limit: number; readonly cursor?: string | undefined },
): Promise<Answer<'people.list'>> {
  if (filter.q !== undefined) return await searchPeople(deps, filter, filter.q, page);
  const after = decodeCursor(page.cursor, ['string', 'id']);
  const facets = facetsOf(filter);
  const means = await rangeFor(deps, filter, facets);
  const [name, id] = means.sort;
  const where = [means.range, ...facets.flatMap((facet) => (MEANS[facet] === means ? [] : [MEANS[facet].condition]))];
  if (filter.loginName !== undefined) where.push('p.id = (SELECT person_id FROM login_names WHERE value = :loginName)');
  if (after) where.push(`${name} >= :afterName AND (${name} > :afterName OR ${id} > :afterId)`);
  const rows = await select<ListedRow>(
    deps,
    `SELECT ${LISTED}, ${name} AS sort FROM ${means.from} WHERE ${where.join(' AND ')} ORDER BY ${name}, ${id} LIMIT :limit`,
    {
      ...valuesOf(filter),
      loginName: filter.loginName ?? '',
      afterName: after?.[0] ?? '',
      afterId: after ? key(after[1]) : null,
      limit: page.limit + 1,
    },
  );
  const cut = pageOf(rows, page.limit, (row) => [row.sort, text(row.id)]);
  return { rows: await described(deps, cut.rows), next: cut.next };
}

interface SearchStep {
  readonly from: string;
  readonly range: string;
  readonly values: SqlValues;
  /** What its rows are sorted by, beside the person's id where that is not unique. */
  readonly sort: string;
  readonly order: string;
  readonly after: string;
}

/**
 * Where a search looks, one after the other: an address or number that is exactly somebody's, beginnings of names,
 * beginnings of login names. Each is a range of one index; nobody comes twice.
 */
function searchSteps(deps: Deps, typed: string): SearchStep[] {
  const keys = deps.keys.current;
  const trimmed = typed.trim();
  const number = `+${trimmed.replace(/\D/g, '')}`;
  const contact = {
    mails: trimmed.includes('@') ? keys.blindIndexes('mail', trimmed.toLowerCase()) : [],
    phones: /^\+?[\d ()-]{6,}$/.test(trimmed) ? keys.blindIndexes('phone', number) : [],
  };
  const folded = nameKey(trimmed);
  const name = folded === '' ? '' : likePrefix(folded);
  const login = likePrefix(trimmed.normalize('NFKC').toLowerCase());
  const exact = [
    contact.mails.length > 0 ? 'p.mail_index IN (:mails)' : '',
    contact.phones.length > 0 ? 'p.phone_index IN (:phones)' : '',
  ].filter(Boolean);
  const isExact = exact.length > 0 ? `(${exact.join(' OR ')})` : '1 = 0';
  const contactValues: SqlValues = {
    ...(contact.mails.length > 0 ? { mails: contact.mails } : {}),
    ...(contact.phones.length > 0 ? { phones: contact.phones } : {}),
  };
  const notExact = exact.length > 0 ? `NOT COALESCE(${isExact}, 0)` : '1 = 1';
  return [
    { from: 'persons p', range: isExact, values: contactValues, sort: "''", order: 'p.id', after: 'p.id > :afterId' },
    {
      from: 'person_terms d STRAIGHT_JOIN persons p ON p.id = d.person_id',
      sort: 'd.term',
      order: 'd.term, d.person_id',
      after: 'd.term >= :afterSort AND (d.term > :afterSort OR d.person_id > :afterId)',
      // Under the first of the terms that match, where somebody has several.
      range:
        name === ''
          ? '1 = 0'
          : `d.term LIKE :name AND ${notExact} AND NOT EXISTS (SELECT 1 FROM person_terms o WHERE o.person_id = d.person_id AND o.term LIKE :name AND o.term < d.term)`,
      values: { name, ...contactValues },
    },
    {
      from: 'login_names d FORCE INDEX (login_names_value) STRAIGHT_JOIN persons p ON p.id = d.person_id',
      // Unique: ordered by anything more, the rows would be sorted instead of read in their order.
      sort: 'd.value',
      order: 'd.value',
      after: 'd.value > :afterSort',
      range: `d.value LIKE :login AND ${notExact} AND NOT EXISTS (SELECT 1 FROM login_names o WHERE o.person_id = d.person_id AND o.value LIKE :login AND o.value < d.value)
        ${name === '' ? '' : 'AND NOT EXISTS (SELECT 1 FROM person_terms t WHERE t.person_id = d.person_id AND t.term LIKE :name)'}`,
      values: { name, login, ...contactValues },
    },
  ];
}

async function searchPeople(
  deps: Deps,
  filter: PeopleFilter,
  typed: string,
  page: { readonly limit: number; readonly cursor?: string | undefined },
): Promise<Answer<'people.list'>> {
  const after = decodeCursor(page.cursor, ['number', 'string', 'id']);
  const conditions = facetsOf(filter).map((facet) => MEANS[facet].condition);
  const found: (ListedRow & { step: number })[] = [];
  for (const [step, { from, sort, order, range, values, ...going }] of searchSteps(deps, typed).entries()) {
    if (after && step < after[0]) continue;
    if (found.length > page.limit) break;
    if (range === '1 = 0') continue;
    const where = [range, ...conditions];
    const begun = after && step === after[0] ? after : undefined;
    if (begun) where.push(going.after);
    const rows = await select<ListedRow>(
      deps,
      `SELECT ${LISTED}, ${sort} AS sort FROM ${from} WHERE ${where.join(' AND ')} ORDER BY ${order} LIMIT :limit`,
      {
        ...valuesOf(filter),
        ...values,
        afterSort: begun ? begun[1] : '',
        afterId: begun ? key(begun[2]) : null,
        limit: page.limit + 1 - found.length,
      },
    );
    found.push(...rows.map((row) => ({ ...row, step })));
  }
  const cut = pageOf(found, page.limit, (row) => [row.step, row.sort, text(row.id)]);
  return { rows: await described(deps, cut.rows), next: cut.next };
}

/** Exactly how many people meet a filter: before something is done to all of them. */
export async function countExactly(deps: Deps, filter: PeopleFilter): Promise<number> {
  const facets = facetsOf(filter);
  if (filter.q !== undefined) {
    let total = 0;
    const conditions = facets.map((facet) => MEANS[facet].condition);
    for (const { from, range, values } of searchSteps(deps, filter.q)) {
      if (range === '1 = 0') continue;
      const row = await selectOne<{ n: number }>(
        deps,
        `SELECT COUNT(*) AS n FROM ${from} WHERE ${[range, ...conditions].join(' AND ')}`,
        { ...valuesOf(filter), ...values },
      );
      total += Number(row!.n);
    }
    return total;
  }
  const means = await rangeFor(deps, filter, facets);
  const where = [means.range, ...facets.flatMap((facet) => (MEANS[facet] === means ? [] : [MEANS[facet].condition]))];
  const row = await selectOne<{ n: number }>(
    deps,
    `SELECT COUNT(*) AS n FROM ${means.from} WHERE ${where.join(' AND ')}`,
    valuesOf(filter),
  );
  return Number(row!.n);
}

type Row = Answer<'people.list'>['rows'][number];
type RowFacts = Pick<Row, 'loginNames' | 'roles' | 'groups' | 'methods' | 'factors' | 'hasPassword' | 'lastProofAt'>;

async function described(db: Db, rows: readonly ListedRow[]): Promise<Row[]> {
  const facts = await factsOf(
    db,
    rows.map((row) => row.id),
  );
  return rows.map((row) => ({
    id: text(row.id),
    displayName: row.display_name,
    state: row.state,
    source: row.source,
    coverage: row.coverage,
    lastSeenAt: row.last_seen_at?.toISOString() ?? null,
    ...facts(row.id),
  }));
}

/** What the rows of one page show beside the name, read for all of them at once. */
async function factsOf(db: Db, ids: Buffer[]): Promise<(id: Buffer) => RowFacts> {
  const facts = new Map<string, RowFacts>();
  const of = (id: Buffer): RowFacts => {
    const known = facts.get(text(id));
    if (known) return known;
    const blank: RowFacts = {
      loginNames: [],
      roles: [],
      groups: [],
      methods: [],
      factors: 0,
      hasPassword: false,
      lastProofAt: null,
    };
    facts.set(text(id), blank);
    return blank;
  };
  if (ids.length === 0) return of;
  const [names, roles, groups, held] = await Promise.all([
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
    select<{ person_id: Buffer; name: string }>(
      db,
      'SELECT m.person_id, g.name FROM group_members m JOIN person_groups g ON g.id = m.group_id WHERE m.person_id IN (:ids) ORDER BY g.name',
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
  for (const row of held) {
    const fact = of(row.person_id) as { -readonly [K in keyof RowFacts]: RowFacts[K] };
    fact.methods.push(row.method);
    if (row.method === 'password') fact.hasPassword = true;
    else fact.factors += Number(row.n);
    const last = row.last?.toISOString() ?? null;
    if (last !== null && (fact.lastProofAt === null || last > fact.lastProofAt)) fact.lastProofAt = last;
  }
  return of;
}
