import { selectOne, write, type Db, type SqlValues } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { besides, facetsOf, rangeFor, valuesOf, type PeopleFilter } from './filter.js';
import { searchSteps } from './search.js';

/** The FROM and WHERE of everybody who meets a filter; of a search one for each step, and nobody is in two of them. */
async function everybody(
  deps: Deps,
  filter: PeopleFilter,
): Promise<{ readonly from: string; readonly where: string; readonly values: SqlValues }[]> {
  const facets = facetsOf(filter);
  if (filter.q !== undefined)
    return searchSteps(deps, filter.q)
      .filter(({ range }) => range !== '1 = 0')
      .map(({ from, range, values }) => ({
        from,
        where: [range, ...besides(undefined, facets)].join(' AND '),
        values: { ...valuesOf(filter), ...values },
      }));
  const means = await rangeFor(deps, filter, facets);
  return [
    { from: means.from, where: [means.range, ...besides(means, facets)].join(' AND '), values: valuesOf(filter) },
  ];
}

/** Exactly how many people meet a filter: before something is done to all of them. */
export async function countExactly(deps: Deps, filter: PeopleFilter): Promise<number> {
  let total = 0;
  for (const { from, where, values } of await everybody(deps, filter)) {
    const row = await selectOne<{ n: number }>(deps, `SELECT COUNT(*) AS n FROM ${from} WHERE ${where}`, values);
    total += Number(row!.n);
  }
  return total;
}

/** Notes everybody who meets a filter as concerned by a change; answers how many they are. */
export async function gatherPeople(deps: Deps, db: Db, change: Buffer, filter: PeopleFilter): Promise<number> {
  let total = 0;
  for (const { from, where, values } of await everybody(deps, filter))
    total += await write(
      db,
      `INSERT INTO bulk_change_people (change_id, person_id) SELECT :change, p.id FROM ${from} WHERE ${where}`,
      { ...values, change },
    );
  return total;
}
