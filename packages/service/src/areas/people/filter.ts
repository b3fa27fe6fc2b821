import type { Id, Coverage, Method, PersonState, Seen, Source } from '@nimble-latch/core/vocabulary';
import type { Db, SqlValues } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes } from '../../platform/ids.js';
import { recentCounts, type Facet } from './counts.js';
import { keyConditions } from './keys-held.js';
import { withParts } from './parts.js';

export interface PeopleFilter {
  readonly q?: string | undefined;
  /** Normalised. */
  readonly loginName?: string | undefined;
  /** Who is in this group or in one inside it. */
  readonly group?: Id | undefined;
  /** Who is in this group themselves. */
  readonly member?: Id | undefined;
  readonly state?: PersonState | undefined;
  readonly source?: Source | undefined;
  readonly coverage?: Coverage | undefined;
  readonly seen?: Seen | undefined;
  readonly method?: Method | undefined;
  /** Who holds a key of this model. */
  readonly model?: Id | undefined;
  /** Who holds a key, and fewer than the method settings want. */
  readonly fewKeys?: boolean | undefined;
  /** Who is in one of these groups or in one inside them: how far the caller's rights reach. Undefined for everybody. */
  readonly within?: readonly Id[] | undefined;
}

/** How a filter is met: as the range that the list walks along, or as a condition on each person of another range. */
interface Means {
  readonly from: string;
  /** The columns that this range is sorted by after its own value. */
  readonly sort: readonly [name: string, id: string];
  readonly range: string;
  readonly condition: string;
}

/** A range of an index, with conditions on each person in it. */
export interface Range {
  readonly from: string;
  /** The columns that its rows are sorted by. */
  readonly sort: Means['sort'];
  readonly where: readonly string[];
}

const onPersons = (facet: 'state' | 'source' | 'coverage' | 'seen'): Means => ({
  from: `persons p FORCE INDEX (persons_by_${facet})`,
  sort: ['p.name_key', 'p.id'],
  range: `p.${facet} = :${facet}`,
  condition: `p.${facet} = :${facet}`,
});

const GROUP_MEMBERS = {
  from: 'group_members d FORCE INDEX (group_members_by_name) STRAIGHT_JOIN persons p ON p.id = d.person_id',
  sort: ['d.name_key', 'd.person_id'],
} as const;
const inGroups = (ids: string) =>
  `EXISTS (SELECT 1 FROM group_members g WHERE g.person_id = p.id AND g.group_id IN (${ids}))`;

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
  group: { ...GROUP_MEMBERS, range: 'd.group_id = :group', condition: inGroups(':groups') },
  member: { ...GROUP_MEMBERS, range: 'd.group_id = :member', condition: inGroups(':member') },
};
const EVERYBODY: Means = {
  from: 'persons p FORCE INDEX (persons_by_name)',
  sort: ['p.name_key', 'p.id'],
  range: '1 = 1',
  condition: '1 = 1',
};

/** A filter with what it takes to ask for it. */
export interface Asked {
  /** As it is meant: whoever is asked for by keys holds one. */
  readonly filter: PeopleFilter;
  /** What is asked of the keys that they hold. */
  readonly keys: readonly string[];
  readonly facets: readonly Facet[];
  readonly values: SqlValues;
  /** The group of the filter and every group inside it. */
  readonly groups: readonly Buffer[];
  /** The same of the groups that it is narrowed to. */
  readonly within: readonly Buffer[] | undefined;
}

/** Looks up which groups are inside the one of the filter. */
export async function asked(db: Db, wanted: PeopleFilter): Promise<Asked> {
  const byKeys = wanted.model !== undefined || wanted.fewKeys === true;
  const filter: PeopleFilter = byKeys && wanted.method === undefined ? { ...wanted, method: 'webauthn' } : wanted;
  const keys = await keyConditions(db, filter);
  const group = filter.group ? idBytes(filter.group) : null;
  const groups = group === null ? [] : await withParts(db, [group]);
  const within = filter.within && (await withParts(db, filter.within.map(idBytes)));
  return {
    filter,
    keys: keys.conditions,
    facets: (Object.keys(MEANS) as Facet[]).filter((facet) => filter[facet] !== undefined),
    groups,
    within,
    values: {
      ...keys.values,
      state: filter.state ?? null,
      source: filter.source ?? null,
      coverage: filter.coverage ?? null,
      seen: filter.seen ?? null,
      method: filter.method ?? null,
      member: filter.member ? idBytes(filter.member) : null,
      group,
      ...(groups.length > 0 ? { groups } : {}),
      ...(within && within.length > 0 ? { within } : {}),
      ...numbered('group', groups),
      ...numbered('within', within ?? []),
    },
  };
}

const numbered = (name: string, ids: readonly Buffer[]): SqlValues =>
  Object.fromEntries(ids.map((id, i) => [`${name}${i}`, id]));

/**
 * The range to walk along, of several filters the one that fewest people meet, with the conditions that are left. A
 * group with parts is a range for each of its groups, and somebody may be in several of them.
 */
export async function rangesFor(deps: Deps, question: Asked): Promise<Range[]> {
  const { facets, groups, within, filter, keys } = question;
  if (within) {
    const conditions = facets.map((facet) => MEANS[facet].condition);
    return within.length === 0
      ? [{ ...EVERYBODY, where: ['1 = 0'] }]
      : within.map((_, i) => ({ ...GROUP_MEMBERS, where: [`d.group_id = :within${i}`, ...conditions, ...keys] }));
  }
  let walked = facets[0];
  if (facets.length > 1) {
    const counts = await recentCounts(deps);
    const people = (facet: Facet) => counts[facet][filter[facet]!] ?? 0;
    walked = facets.reduce((least, facet) => (people(facet) < people(least) ? facet : least));
  }
  const means = walked === undefined ? EVERYBODY : MEANS[walked];
  const left = facets.flatMap((facet) => (facet === walked ? [] : [MEANS[facet].condition]));
  const ranges =
    walked === 'group' && groups.length > 1 ? groups.map((_, i) => `d.group_id = :group${i}`) : [means.range];
  return ranges.map((range) => ({ from: means.from, sort: means.sort, where: [range, ...left, ...keys] }));
}

/** Every facet as a condition on a person. */
export function conditionsOf({ facets, within, keys }: Asked): string[] {
  const conditions = [...facets.map((facet) => MEANS[facet].condition), ...keys];
  if (within) conditions.push(within.length === 0 ? '1 = 0' : inGroups(':within'));
  return conditions;
}
