import type { Answer } from '@nimble-latch/api';
import { decodeCursor, pageOf } from '../db/cursor.js';
import { select } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { key, text } from '../ids.js';
import { besides, facetsOf, rangeFor, valuesOf, type PeopleFilter } from './filter.js';
import { described, LISTED, type ListedRow } from './listed.js';
import { searchSteps } from './search.js';

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
  const where = [means.range, ...besides(means, facets)];
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

async function searchPeople(
  deps: Deps,
  filter: PeopleFilter,
  typed: string,
  page: { readonly limit: number; readonly cursor?: string | undefined },
): Promise<Answer<'people.list'>> {
  const after = decodeCursor(page.cursor, ['number', 'string', 'id']);
  const conditions = besides(undefined, facetsOf(filter));
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
