import { LIMITS, type Answer } from '@nimble-latch/api';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { entryOf, groupsWithin } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { csvStream, pagesOf } from '../../platform/http/csv.js';
import { listPeople } from './list.js';

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
  'serials',
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
    row.serials.join('; '),
    row.lastSeenAt ?? '',
  ];
}

export const exportPeople: Handler<'people.export'> = async (deps, call) => {
  await inTransaction(deps, async (work) => {
    const details = { filters: Object.keys(call.query).sort() };
    // Which filters, never what was searched for: that may be somebody's name.
    await work.trail(entryOf(call, 'person.exported', { kind: 'person', id: null }, { details }));
  });
  const filter = { ...call.query, within: groupsWithin(call.actor, 'person.read') };
  const pages = pagesOf((cursor) => listPeople(deps, filter, { limit: LIMITS.pageRowsMost, cursor }));
  return { answer: '', stream: csvStream(COLUMNS, pages, cells) };
};
