import type { Answer } from '@nimble-latch/api';
import { effectOfDispute } from '@nimble-latch/core/notices';
import type { DisputeEffect, NoticeKind } from '@nimble-latch/core/vocabulary';
import { withdrawIfOpen } from '../invitations/again.js';
import type { Maker } from '../keyring/enrolling.js';
import { suspendIfInUse } from '../keyring/suspend.js';
import { selectOne, selectOneToWrite, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { tokenId, verifyToken } from '../../platform/secrets/tokens.js';
import { changeNotices } from './change-notice.model.js';
import { noticeOfDispute } from './notices.js';

interface NoticeRow {
  readonly id: Buffer;
  readonly person_id: Buffer;
  readonly kind: NoticeKind;
  readonly about_id: Buffer | null;
  readonly label: string;
  readonly hash: Buffer;
  readonly hash_key_id: Buffer;
  readonly at: Date;
  readonly disputed_at: Date | null;
  readonly effect: DisputeEffect | null;
  readonly display_name: string;
}

const NOTICE = `SELECT n.*, p.display_name FROM change_notices n JOIN persons p ON p.id = n.person_id WHERE n.id = :id AND n.until > UTC_TIMESTAMP(3)`;

/** The notice that a code opens. Throws `notice-gone` for any other: which of the reasons it is, is nobody's business. */
async function openedBy(
  deps: Deps,
  code: string,
  read: (sql: string, values: { readonly id: Buffer }) => Promise<NoticeRow | undefined>,
): Promise<NoticeRow> {
  const id = tokenId('notice', code);
  const row = id === undefined ? undefined : await read(NOTICE, { id: idBytes(id) });
  if (!id || !row || !(await verifyToken(deps, 'notice', id, code, row))) throw new Refusal('notice-gone');
  return row;
}

/** What would be set aside now; what was set aside, withdrawn or is over since leaves nothing but to tell. */
async function effectNow(db: Db, { kind, about_id }: NoticeRow): Promise<DisputeEffect> {
  const effect = effectOfDispute(kind)!;
  if (effect === 'told' || about_id === null) return 'told';
  const table =
    effect === 'suspended' ? "authenticators WHERE state = 'active'" : 'invitations WHERE open_for IS NOT NULL';
  return (await selectOne(db, `SELECT 1 AS one FROM ${table} AND id = :id`, { id: about_id })) ? effect : 'told';
}

/** Shows what a notice is about; opening its page changes nothing. */
export const showNotice: Handler<'own.showNotice'> = async (deps, { body }) => {
  const row = await openedBy(deps, body.code, async (sql, values) => await selectOne<NoticeRow>(deps, sql, values));
  const { settings } = await deps.settings.current();
  return {
    answer: {
      organisation: settings.organisation,
      kind: row.kind,
      label: row.label,
      at: row.at.toISOString(),
      effect: row.effect ?? (await effectNow(deps, row)),
      disputed: row.disputed_at !== null,
    },
  };
};

/** Sets what was changed aside, and that alone. */
async function undo(deps: Deps, work: Work, maker: Maker, row: NoticeRow): Promise<DisputeEffect> {
  const wanted = await effectNow(work, row);
  if (wanted === 'told') return wanted;
  const about = idText(row.about_id!);
  const done =
    wanted === 'withdrawn'
      ? await withdrawIfOpen(work, maker, about)
      : await suspendIfInUse(deps, work, maker, about, { disputed: idText(row.id) });
  // Not in use any more since a moment ago.
  return done ? wanted : 'told';
}

/** A person says that a change was not them: it is set aside at once, and the owners hear of it. Said again, it comes to the same. */
export const disputeNotice: Handler<'own.dispute'> = async (deps, call) =>
  await call.run(async (work) => {
    const row = await openedBy(
      deps,
      call.body.code,
      async (sql, values) => await selectOneToWrite<NoticeRow>(work, sql, values),
    );
    const { kind, label, display_name: name } = row;
    const answer = (effect: DisputeEffect): { answer: Answer<'own.dispute'> } => ({ answer: { kind, label, effect } });
    if (row.disputed_at !== null) return answer(row.effect!);
    const [id, person] = [idText(row.id), idText(row.person_id)];
    const maker = { origin: call.origin, actor: { kind: 'page', personId: person } } as const;
    const effect = await undo(deps, work, maker, row);
    await changeNotices(work).update(
      { disputedAt: work.now, disputedFrom: call.origin, effect },
      { where: { id }, transaction: work.transaction },
    );
    await work.trail(entryOf(maker, 'change.disputed', { kind: 'notice', id }, { person, details: { kind, effect } }));
    await noticeOfDispute(deps, work, { name, kind, label, effect });
    return answer(effect);
  });
