import { Readable } from 'node:stream';
import { LIMITS, type Answer } from '@nimble-latch/api';
import { stringify } from 'csv-stringify/sync';
import { inTransaction } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { listPeople, type PeopleFilter } from './list.js';

const COLUMNS = [
  'id',
  'name',
  'loginNames',
  'groups',
  'state',
  'roles',
  'source',
  'coverage',
  'methods',
  'lastSeenAt',
] as const;

function cells(row: Answer<'people.list'>['rows'][number]): string[] {
  return [
    row.id,
    row.displayName,
    row.loginNames.join(' '),
    row.groups.join('; '),
    row.state,
    row.roles.join(' '),
    row.source,
    row.coverage,
    row.methods.join(' '),
    row.lastSeenAt ?? '',
  ];
}

/** Lines as RFC 4180 has them; what a spreadsheet would take for a formula is made text. */
const lines = (rows: readonly (readonly string[])[]): string =>
  stringify(rows as string[][], { record_delimiter: 'windows', escape_formulas: true });

/** Page after page, so that a million people need no more memory than two hundred. */
async function* csv(deps: Deps, filter: PeopleFilter): AsyncGenerator<string> {
  yield lines([COLUMNS]);
  let cursor: string | undefined;
  do {
    const page = await listPeople(deps, filter, { limit: LIMITS.pageRowsMost, cursor });
    if (page.rows.length > 0) yield lines(page.rows.map(cells));
    cursor = page.next ?? undefined;
  } while (cursor !== undefined);
}

export const exportPeople: Handler<'people.export'> = async (deps, call) => {
  await inTransaction(deps, async (work) => {
    const details = { filters: Object.keys(call.query).sort() };
    // Which filters, never what was searched for: that may be somebody's name.
    await work.trail(entryOf(call, 'person.exported', { kind: 'person', id: null }, { details }));
  });
  return { answer: '', stream: Readable.from(csv(deps, call.query)) };
};
