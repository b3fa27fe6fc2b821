import { selectOne, write, type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { asked, conditionsOf, rangesFor, type PeopleFilter } from './filter.js';
import { searchSteps } from './search.js';

/** A statement that gives the ids of everybody who meets a filter, each once. */
export async function everybody(
  deps: Deps,
  filter: PeopleFilter,
): Promise<{ readonly sql: string; readonly values: SqlValues }> {
  const question = await asked(deps, filter);
  const idsOf = (from: string, where: readonly string[]) => `SELECT p.id FROM ${from} WHERE ${where.join(' AND ')}`;
  if (filter.q === undefined) {
    const ranges = await rangesFor(deps, question);
    return { sql: ranges.map(({ from, where }) => idsOf(from, where)).join(' UNION '), values: question.values };
  }
  const conditions = conditionsOf(question);
  const steps = searchSteps(deps, filter.q).filter(({ range }) => range !== '1 = 0');
  return {
    // Nobody is found by two steps of a search.
    sql: steps.map(({ from, range }) => idsOf(from, [range, ...conditions])).join(' UNION ALL '),
    values: Object.assign({}, question.values, ...steps.map((step) => step.values)) as SqlValues,
  };
}

/** Exactly how many people meet a filter: before something is done to all of them. */
export async function countExactly(deps: Deps, filter: PeopleFilter): Promise<number> {
  const { sql, values } = await everybody(deps, filter);
  const row = await selectOne<{ n: number }>(deps, `SELECT COUNT(*) AS n FROM (${sql}) met`, values);
  return Number(row!.n);
}

/** Notes everybody who meets a filter as concerned by a change; answers how many they are. */
export async function gatherPeople(deps: Deps, db: Db, change: Buffer, filter: PeopleFilter): Promise<number> {
  const { sql, values } = await everybody(deps, filter);
  return await write(
    db,
    `INSERT INTO bulk_change_people (change_id, person_id) SELECT :change, met.id FROM (${sql}) met`,
    { ...values, change },
  );
}
