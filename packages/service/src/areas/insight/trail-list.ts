import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS, type Answer, type Parsed } from '@nimble-latch/api';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { likePrefix, select, type Db } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { csvStream, pagesOf } from '../../platform/http/csv.js';
import { idBytes, idText } from '../../platform/ids.js';
import { trailEntry, type TrailRow } from '../../platform/trail/writer.js';

/** Tables in which a target of a kind may still have a name. */
const NAMED: Readonly<Record<string, [table: string, column: string]>> = {
  group: ['person_groups', 'name'],
  application: ['applications', 'name'],
};

async function namesOf(db: Db, table: string, column: string, ids: ReadonlySet<Id>): Promise<Map<string, string>> {
  if (ids.size === 0) return new Map();
  const rows = await select<{ id: Buffer; name: string }>(
    db,
    `SELECT id, \`${column}\` AS name FROM \`${table}\` WHERE id IN (:ids)`,
    { ids: [...ids].map(idBytes) },
  );
  return new Map(rows.map((row) => [idText(row.id), row.name]));
}

type Filter = Parsed<'trail.export', 'query'>;

/** A page of the trail, newest first, with the names that ids have today. The caller writes that it was read. */
async function readTrail(
  work: Db,
  query: Filter & { readonly cursor?: string | undefined; readonly limit: number },
  one?: { readonly writer: string; readonly number: number },
): Promise<Answer<'trail.list'>> {
  const after = decodeCursor(query.cursor, ['instant', 'id', 'number']);
  const where = ['1 = 1'];
  if (query.person) where.push('t.person_id = :person');
  if (query.actor) where.push('t.actor_id = :actor');
  if (query.action) where.push('t.action = :action');
  if (query.area) where.push('t.action LIKE :area');
  if (query.without) where.push('t.action NOT LIKE :without');
  if (query.since) where.push('t.at >= :since');
  if (query.until) where.push('t.at < :until');
  if (one) where.push('t.number = :number AND LOWER(HEX(t.writer)) LIKE :writer');
  if (after)
    where.push(
      '(t.at < :afterAt OR (t.at = :afterAt AND (t.writer < :afterWriter OR (t.writer = :afterWriter AND t.number < :afterNumber))))',
    );
  const rows = await select<TrailRow & { sealed: number }>(
    work,
    `SELECT t.*, (t.number <= COALESCE((SELECT MAX(to_number) FROM trail_seals s WHERE s.writer = t.writer), 0)) AS sealed FROM trail_entries t
       WHERE ${where.join(' AND ')} ORDER BY t.at DESC, t.writer DESC, t.number DESC LIMIT :limit`,
    {
      person: query.person ? idBytes(query.person) : null,
      actor: query.actor ? idBytes(query.actor) : null,
      action: query.action ?? null,
      area: likePrefix(`${query.area ?? ''}.`),
      without: likePrefix(`${query.without ?? ''}.`),
      since: query.since ? new Date(query.since) : null,
      until: query.until ? new Date(query.until) : null,
      afterAt: after ? new Date(after[0]) : null,
      afterWriter: after ? idBytes(after[1]) : null,
      afterNumber: after?.[2] ?? 0,
      limit: query.limit + 1,
      number: one?.number ?? 0,
      writer: `%${one?.writer ?? ''}`,
    },
  );
  const page = pageOf(rows, query.limit, (row) => [row.at.toISOString(), idText(row.writer), row.number]);
  const entries = page.rows.map((row) => ({ entry: trailEntry(row), sealed: Number(row.sealed) === 1 }));
  const people = new Set(
    entries.flatMap(({ entry }) =>
      [entry.person, entry.actor.kind === 'person' ? entry.actor.id : null].filter((id) => id !== null),
    ),
  );
  const targets = (kind: string) =>
    new Set(entries.flatMap(({ entry }) => (entry.target.kind === kind && entry.target.id ? [entry.target.id] : [])));
  const applicationIds = new Set([
    ...targets('application'),
    ...entries.flatMap(({ entry }) => (entry.actor.kind === 'application' && entry.actor.id ? [entry.actor.id] : [])),
  ]);
  const [persons, applications, groups] = await Promise.all([
    namesOf(work, 'persons', 'display_name', people),
    namesOf(work, ...NAMED['application']!, applicationIds),
    namesOf(work, ...NAMED['group']!, targets('group')),
  ]);
  const nameOf = (kind: string, id: Id | null) =>
    id === null
      ? null
      : ((kind === 'person'
          ? persons
          : kind === 'application'
            ? applications
            : kind === 'group'
              ? groups
              : undefined
        )?.get(id) ?? null);
  return {
    rows: entries.map(({ entry, sealed }) => ({
      writer: entry.writer,
      number: entry.number,
      at: entry.at,
      actor: { ...entry.actor, name: nameOf(entry.actor.kind, entry.actor.id) },
      action: entry.action,
      target: { ...entry.target, name: nameOf(entry.target.kind, entry.target.id) },
      person: entry.person ? { id: entry.person, name: persons.get(entry.person) ?? null } : null,
      origin: entry.origin,
      reason: entry.reason,
      details: entry.details as Answer<'trail.list'>['rows'][number]['details'],
      sealed,
    })),
    next: page.next,
  };
}

/** Reading the trail is itself written on it, once a page. */
export const listTrail: Handler<'trail.list'> = async (_deps, call) =>
  await call.run(async (work) => {
    const answer = await readTrail(work, call.query);
    await work.trail(
      entryOf(
        call,
        'trail.read',
        { kind: 'trail', id: null },
        { person: call.query.person ?? null, details: { rows: answer.rows.length } },
      ),
    );
    return { answer };
  });

/** One entry, by the end of its writer's id and its number. */
export const showTrail: Handler<'trail.show'> = async (_deps, call) =>
  await call.run(async (work) => {
    const [writer = '', number] = call.params.entry.split('.');
    const { rows } = await readTrail(work, { limit: 2 }, { writer, number: Number(number) });
    const [answer] = rows;
    if (!answer) throw notFound();
    if (rows.length > 1) throw new Refusal('entry-ambiguous');
    const person = answer.person?.id ?? null;
    await work.trail(entryOf(call, 'trail.read', { kind: 'trail', id: null }, { person, details: { rows: 1 } }));
    return { answer };
  });

const COLUMNS = [
  'at',
  'action',
  'actor kind',
  'actor',
  'person',
  'target kind',
  'target',
  'origin',
  'reason',
  'details',
  'writer',
  'number',
  'sealed',
];

const cells = (row: Answer<'trail.list'>['rows'][number]): string[] => [
  row.at,
  row.action,
  row.actor.kind,
  row.actor.name ?? row.actor.id ?? '',
  row.person ? (row.person.name ?? row.person.id) : '',
  row.target.kind,
  row.target.name ?? row.target.id ?? '',
  row.origin ?? '',
  row.reason ?? '',
  JSON.stringify(row.details),
  row.writer,
  String(row.number),
  row.sealed ? 'yes' : 'no',
];

export const exportTrail: Handler<'trail.export'> = async (deps, call) => {
  await inTransaction(deps, async (work) => {
    const details = { filters: Object.keys(call.query).sort() };
    await work.trail(
      entryOf(call, 'trail.exported', { kind: 'trail', id: null }, { person: call.query.person ?? null, details }),
    );
  });
  const pages = pagesOf((cursor) => readTrail(deps, { ...call.query, cursor, limit: LIMITS.pageRowsMost }));
  return { answer: '', stream: csvStream(COLUMNS, pages, cells) };
};
