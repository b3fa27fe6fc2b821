import type { Answer } from '@nimble-latch/api';
import type { DisputeEffect, DisputeState, Id, NoticeKind } from '@nimble-latch/core/vocabulary';
import { withParts } from '../people/parts.js';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { changeNotices } from './change-notice.model.js';

type Shown = Answer<'disputes.list'>['rows'][number];

interface DisputeRow {
  id: Buffer;
  person_id: Buffer;
  display_name: string;
  kind: NoticeKind;
  label: string;
  at: Date;
  disputed_at: Date;
  disputed_from: string | null;
  effect: DisputeEffect;
  settled_at: Date | null;
  settled_by: Buffer | null;
  settler: string | null;
  settled_why: string | null;
}

const ROWS = `SELECT n.id, n.person_id, p.display_name, n.kind, n.label, n.at, n.disputed_at, n.disputed_from, n.effect, n.settled_at, n.settled_by,
    s.display_name AS settler, n.settled_why
  FROM change_notices n JOIN persons p ON p.id = n.person_id LEFT JOIN persons s ON s.id = n.settled_by WHERE n.disputed_at IS NOT NULL`;
const IN_STATE = { open: 'n.settled_at IS NULL', settled: 'n.settled_at IS NOT NULL' } as const;

const describe = (row: DisputeRow): Shown => ({
  id: idText(row.id),
  person: { id: idText(row.person_id), displayName: row.display_name },
  kind: row.kind,
  label: row.label,
  at: row.at.toISOString(),
  disputedAt: row.disputed_at.toISOString(),
  from: row.disputed_from,
  effect: row.effect,
  settled: row.settled_at
    ? {
        at: row.settled_at.toISOString(),
        by: row.settled_by && row.settler !== null ? { id: idText(row.settled_by), displayName: row.settler } : null,
        why: row.settled_why ?? '',
      }
    : null,
});

/** Changes that their people say were not them, the latest change first. */
export async function listDisputes(
  db: Db,
  { state, within }: { readonly state: DisputeState | 'all'; readonly within: readonly Id[] | undefined },
  page: { readonly limit: number; readonly cursor?: string | undefined },
): Promise<Answer<'disputes.list'>> {
  const after = decodeCursor(page.cursor, ['id']);
  const groups = within && (await withParts(db, within.map(idBytes)));
  if (groups?.length === 0) return { rows: [], next: null };
  const conditions = [
    ...(state === 'all' ? [] : [IN_STATE[state]]),
    ...(after ? ['n.id < :after'] : []),
    ...(groups
      ? ['EXISTS (SELECT 1 FROM group_members m WHERE m.person_id = n.person_id AND m.group_id IN (:groups))']
      : []),
  ];
  const rows = await select<DisputeRow>(db, `${[ROWS, ...conditions].join(' AND ')} ORDER BY n.id DESC LIMIT :limit`, {
    after: after ? idBytes(after[0]) : null,
    limit: page.limit + 1,
    ...(groups ? { groups } : {}),
  });
  const cut = pageOf(rows, page.limit, (row) => [idText(row.id)]);
  return { rows: cut.rows.map(describe), next: cut.next };
}

/** How many nobody has seen to. */
export async function countDisputes(db: Db): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM change_notices n WHERE n.disputed_at IS NOT NULL AND ${IN_STATE.open}`,
  );
  return Number(row!.n);
}

/** Somebody has seen to it, and says what it was. What was set aside stays so: whoever takes it back does that where it stands. */
export const settleDispute: Handler<'disputes.settle'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { why } = call.body;
    const [settled] = await changeNotices(work).update(
      { settledAt: work.now, settledBy: call.actor.personId, settledWhy: why },
      { where: { id, settledAt: null }, transaction: work.transaction },
    );
    const row = await selectOne<DisputeRow>(work, `${ROWS} AND n.id = :id`, { id: idBytes(id) });
    if (!row) throw notFound();
    if (settled === 0) throw new Refusal('wrong-state', { state: 'settled' });
    const person = idText(row.person_id);
    await work.trail(entryOf(call, 'dispute.settled', { kind: 'notice', id }, { person, reason: why }));
    return { answer: describe(row) };
  });
