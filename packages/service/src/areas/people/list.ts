import type { Answer } from '@nimble-latch/api';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { select } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { asked, conditionsOf, rangesFor, type PeopleFilter } from './filter.js';
import { described, LISTED, type ListedRow } from './describe-listed.js';
import { searchSteps } from './search.js';

/** A page of people by name, each filter along its own index. */
export async function listPeople(
  deps: Deps,
  filter: PeopleFilter,
  page: { readonly limit: number; readonly cursor?: string | undefined },
): Promise<Answer<'people.list'>> {
  if (filter.q !== undefined) return await searchPeople(deps, filter, filter.q, page);
  const after = decodeCursor(page.cursor, ['string', 'id']);
  const question = await asked(deps, filter);
  const pages = (await rangesFor(deps, question)).map(({ from, sort: [name, id], where }) => {
    const conditions = [...where];
    if (filter.loginName !== undefined)
      conditions.push('p.id = (SELECT person_id FROM login_names WHERE value = :loginName)');
    if (after) conditions.push(`${name} >= :afterName AND (${name} > :afterName OR ${id} > :afterId)`);
    return `SELECT ${LISTED}, ${name} AS sort FROM ${from} WHERE ${conditions.join(' AND ')} ORDER BY ${name}, ${id} LIMIT :limit`;
  });
  const rows = await select<ListedRow>(
    deps,
    pages.length === 1
      ? pages[0]!
      : // The first of each range are the first of them together; whoever is in several is the same row in each.
        `SELECT * FROM (${pages.map((page) => `(${page})`).join(' UNION ')}) together ORDER BY sort, id LIMIT :limit`,
    {
      ...question.values,
      loginName: filter.loginName ?? '',
      afterName: after?.[0] ?? '',
      afterId: after ? idBytes(after[1]) : null,
      limit: page.limit + 1,
    },
  );
  const cut = pageOf(rows, page.limit, (row) => [row.sort, idText(row.id)]);
  return { rows: await described(deps, cut.rows, filter.within), next: cut.next };
}

async function searchPeople(
  deps: Deps,
  filter: PeopleFilter,
  typed: string,
  page: { readonly limit: number; readonly cursor?: string | undefined },
): Promise<Answer<'people.list'>> {
  const after = decodeCursor(page.cursor, ['number', 'string', 'id']);
  const question = await asked(deps, filter);
  const conditions = conditionsOf(question);
  const found: (ListedRow & { step: number })[] = [];
  for (const [step, { from, sort, order, range, values, ...going }] of searchSteps(deps, typed).entries()) {
    if (after && step < after[0]) continue;
    if (found.length > page.limit) break;
    if (range === '1 = 0') continue;
    const where = [range, ...conditions];
    const begun = step === after?.[0] ? after : undefined;
    if (begun) where.push(going.after);
    const rows = await select<ListedRow>(
      deps,
      `SELECT ${LISTED}, ${sort} AS sort FROM ${from} WHERE ${where.join(' AND ')} ORDER BY ${order} LIMIT :limit`,
      {
        ...question.values,
        ...values,
        afterSort: begun ? begun[1] : '',
        afterId: begun ? idBytes(begun[2]) : null,
        limit: page.limit + 1 - found.length,
      },
    );
    found.push(...rows.map((row) => ({ ...row, step })));
  }
  const cut = pageOf(found, page.limit, (row) => [row.step, row.sort, idText(row.id)]);
  return { rows: await described(deps, cut.rows, filter.within), next: cut.next };
}
