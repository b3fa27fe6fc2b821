import type { Answer } from '@nimble-latch/api';
import type { Id, InvitationChannel, InvitationState, Method } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { select, selectOne, type Db, type SqlValues } from '../../platform/db/sql.js';
import { notFound } from '../../platform/errors.js';
import { idBytes, idText } from '../../platform/ids.js';
import { withParts } from '../people/parts.js';

type Shown = Answer<'invitations.list'>['rows'][number];

/** Where an invitation stands, by the clock that all nodes share. */
const STATE = `CASE WHEN i.done_at IS NOT NULL THEN 'done' WHEN i.withdrawn_at IS NOT NULL THEN 'withdrawn'
  WHEN i.valid_until <= UTC_TIMESTAMP(3) THEN 'overdue' WHEN i.begun_at IS NOT NULL THEN 'begun' WHEN i.opened_at IS NOT NULL THEN 'opened'
  WHEN i.bounced_at IS NOT NULL THEN 'bounced' WHEN i.sent_at IS NOT NULL THEN 'sent' ELSE 'queued' END`;
const OPEN = 'i.open_for IS NOT NULL AND i.valid_until > UTC_TIMESTAMP(3)';
/**
 * Somebody has to look: nobody was reached, or nothing came of it, and neither another invitation nor an authenticator of what was asked
 * for has come since.
 */
const STUCK = `i.done_at IS NULL AND i.withdrawn_at IS NULL AND (i.bounced_at IS NOT NULL OR i.valid_until <= UTC_TIMESTAMP(3)) AND p.state = 'active'
  AND NOT EXISTS (SELECT 1 FROM invitations later WHERE later.person_id = i.person_id AND later.id > i.id)
  AND NOT EXISTS (SELECT 1 FROM authenticators a WHERE a.person_id = i.person_id AND a.state = 'active' AND LOCATE(CONCAT(' ', a.method, ' '), CONCAT(' ', i.methods, ' ')) > 0)`;

export interface InvitationRow {
  readonly id: Buffer;
  readonly person_id: Buffer;
  readonly round_id: Buffer;
  readonly display_name: string;
  readonly methods: string;
  readonly via: InvitationChannel;
  readonly state: InvitationState;
  readonly created_at: Date;
  readonly valid_until: Date;
  readonly sent_at: Date | null;
  readonly bounced_at: Date | null;
  readonly opened_at: Date | null;
  readonly begun_at: Date | null;
  readonly done_at: Date | null;
  readonly withdrawn_at: Date | null;
  readonly reminders: number;
  readonly reminded_at: Date | null;
  readonly next_reminder_at: Date | null;
  readonly sent_anew: number;
}

const FROM = `SELECT i.*, p.display_name, ${STATE} AS state FROM invitations i JOIN persons p ON p.id = i.person_id`;
const at = (moment: Date | null): string | null => moment?.toISOString() ?? null;

const describe = (row: InvitationRow): Shown => ({
  id: idText(row.id),
  person: { id: idText(row.person_id), displayName: row.display_name },
  methods: row.methods.split(' ') as Method[],
  via: row.via,
  state: row.state,
  round: idText(row.round_id),
  createdAt: row.created_at.toISOString(),
  validUntil: row.valid_until.toISOString(),
  sentAt: at(row.sent_at),
  bouncedAt: at(row.bounced_at),
  openedAt: at(row.opened_at),
  begunAt: at(row.begun_at),
  doneAt: at(row.done_at),
  withdrawnAt: at(row.withdrawn_at),
  reminders: row.reminders,
  remindedAt: at(row.reminded_at),
  nextReminderAt: ['done', 'withdrawn', 'overdue'].includes(row.state) ? null : at(row.next_reminder_at),
  sentAnew: row.sent_anew,
});

interface Narrowed {
  readonly round?: Id | undefined;
  /** Of people in these groups, or in one inside them; undefined for everybody. */
  readonly within: readonly Id[] | undefined;
}

async function narrowed(db: Db, { round, within }: Narrowed): Promise<{ conditions: string[]; values: SqlValues }> {
  const groups = within && (await withParts(db, within.map(idBytes)));
  return {
    conditions: [
      ...(round ? ['i.round_id = :round'] : []),
      ...(groups
        ? [
            groups.length === 0
              ? '1 = 0'
              : 'EXISTS (SELECT 1 FROM group_members m WHERE m.person_id = i.person_id AND m.group_id IN (:groups))',
          ]
        : []),
    ],
    values: { round: round ? idBytes(round) : null, ...(groups && groups.length > 0 ? { groups } : {}) },
  };
}

/** A page of invitations, the latest first. */
export async function listInvitations(
  db: Db,
  filter: Narrowed & {
    readonly state?: InvitationState | 'open' | 'stuck' | undefined;
    readonly person?: Id | undefined;
  },
  page: { readonly limit: number; readonly cursor?: string | undefined },
): Promise<Answer<'invitations.list'>> {
  const after = decodeCursor(page.cursor, ['id']);
  const { conditions, values } = await narrowed(db, filter);
  const { state, person } = filter;
  const inState =
    state === 'open' ? OPEN : state === 'stuck' ? STUCK : state === undefined ? '1 = 1' : `${STATE} = :state`;
  const all = [
    ...conditions,
    `(${inState})`,
    ...(person ? ['i.person_id = :person'] : []),
    ...(after ? ['i.id < :after'] : []),
  ];
  const rows = await select<InvitationRow>(db, `${FROM} WHERE ${all.join(' AND ')} ORDER BY i.id DESC LIMIT :limit`, {
    ...values,
    state: state ?? null,
    person: person ? idBytes(person) : null,
    after: after ? idBytes(after[0]) : null,
    limit: page.limit + 1,
  });
  const cut = pageOf(rows, page.limit, (row) => [idText(row.id)]);
  return { rows: cut.rows.map(describe), next: cut.next };
}

export async function readInvitation(db: Db, id: Id): Promise<Shown> {
  const row = await selectOne<InvitationRow>(db, `${FROM} WHERE i.id = :id`, { id: idBytes(id) });
  if (!row) throw notFound();
  return describe(row);
}

/** How many stand where. */
export async function countInvitations(db: Db, filter: Narrowed): Promise<Answer<'invitations.figures'>> {
  const { conditions, values } = await narrowed(db, filter);
  const where = conditions.length > 0 ? `WHERE ${conditions.join(' AND ')}` : '';
  const [states, others] = await Promise.all([
    select<{ state: InvitationState; n: number }>(
      db,
      `SELECT ${STATE} AS state, COUNT(*) AS n FROM invitations i ${where} GROUP BY 1`,
      values,
    ),
    selectOne<{ stuck: number | null; reminded: number | null }>(
      db,
      `SELECT SUM(${STUCK}) AS stuck, SUM(i.reminders > 0) AS reminded FROM invitations i JOIN persons p ON p.id = i.person_id ${where}`,
      values,
    ),
  ]);
  return {
    states: Object.fromEntries(states.map(({ state, n }) => [state, Number(n)])),
    stuck: Number(others?.stuck ?? 0),
    reminded: Number(others?.reminded ?? 0),
  };
}
