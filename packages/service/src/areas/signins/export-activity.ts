import { LIMITS, type Answer } from '@nimble-latch/api';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { entryOf, groupsWithin } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { csvStream, pagesOf } from '../../platform/http/csv.js';
import { listActivity } from './activity.js';

const COLUMNS = [
  'id',
  'at',
  'person',
  'application',
  'state',
  'reason',
  'way',
  'sourceAddress',
  'walkThrough',
] as const;

const cells = (row: Answer<'activity.list'>['rows'][number]): string[] => [
  row.id,
  row.at,
  row.person?.displayName ?? row.person?.id ?? '',
  row.application.name ?? row.application.id,
  row.state,
  row.reason ?? '',
  row.way ?? '',
  row.sourceAddress ?? '',
  row.walkThrough ? 'yes' : 'no',
];

export const exportActivity: Handler<'activity.export'> = async (deps, call) => {
  await inTransaction(deps, async (work) => {
    const details = { filters: Object.keys(call.query).sort() };
    const person = call.query.person ?? null;
    await work.trail(entryOf(call, 'activity.exported', { kind: 'sign-in', id: null }, { person, details }));
  });
  const now = deps.now();
  const within = groupsWithin(call.actor, 'activity.read');
  const pages = pagesOf((cursor) =>
    listActivity(deps, { ...call.query, cursor, limit: LIMITS.pageRowsMost }, now, within),
  );
  return { answer: '', stream: csvStream(COLUMNS, pages, cells) };
};
