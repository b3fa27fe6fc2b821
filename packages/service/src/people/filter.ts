import type { Coverage, Method, PersonState, Seen, Source } from '@nimble-latch/core/vocabulary';
import type { SqlValues } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { key } from '../ids.js';
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

/** How a filter is met: as the range that the list walks along, or as a condition on each person of another range. */
export interface Means {
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

export function facetsOf(filter: PeopleFilter): Facet[] {
  return (Object.keys(MEANS) as Facet[]).filter((facet) => filter[facet] !== undefined);
}

export function valuesOf(filter: PeopleFilter): SqlValues {
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
export async function rangeFor(deps: Deps, filter: PeopleFilter, facets: readonly Facet[]): Promise<Means> {
  if (facets.length === 0) return EVERYBODY;
  if (facets.length === 1) return MEANS[facets[0]!];
  const counts = await recentCounts(deps);
  const people = (facet: Facet) => counts[facet][filter[facet]!] ?? 0;
  return MEANS[facets.reduce((least, facet) => (people(facet) < people(least) ? facet : least))];
}

/** Conditions of every facet that is not walked along. */
export const besides = (means: Means | undefined, facets: readonly Facet[]): string[] =>
  facets.flatMap((facet) => (MEANS[facet] === means ? [] : [MEANS[facet].condition]));
