import type { Method } from '@nimble-latch/core/vocabulary';
import type { InvitationText } from '@nimble-latch/core/invitations/template';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { selectOne, selectToWrite, write, type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { entryOf } from '../../platform/http/actors.js';
import { idText } from '../../platform/ids.js';
import type { Maker } from '../keyring/enrolling.js';
import { noticeTo } from '../notices/notices.js';
import { readSettings } from '../insight/settings-cache.js';
import { filled, textFor } from './compose.js';
import { makeLink } from './links.js';

/** An invitation that no mail brings: whoever makes letters or a file of it gives it its code. */
export interface Unsent {
  readonly id: Buffer;
  readonly person_id: Buffer;
  readonly display_name: string;
  readonly login_name: string | null;
  readonly mail_sealed: Buffer | null;
  readonly language: string;
  readonly time_zone: string;
  readonly methods: string;
  readonly valid_until: Date;
  readonly links: number;
}

/** Which of a sending: those that were not given out; `againBefore`: also those that were, before then, and that nobody has opened. */
interface Which {
  readonly round: Buffer;
  readonly againBefore?: Date | undefined;
}

const waiting = ({ againBefore }: Which): string =>
  `i.round_id = :round AND i.via <> 'mail' AND i.open_for IS NOT NULL AND i.valid_until > UTC_TIMESTAMP(3) AND ` +
  (againBefore ? 'i.opened_at IS NULL AND (i.sent_at IS NULL OR i.sent_at < :againBefore)' : 'i.sent_at IS NULL');

/**
 * Those that wait, under a lock: of two who give them out at once one has them. Those that were never given out come first, then those for
 * which it is longest ago: where not all fit in, the next call has the others.
 */
export async function lockUnsent(work: Work, { round, againBefore }: Which, limit: number): Promise<Unsent[]> {
  return await selectToWrite<Unsent>(
    work,
    `SELECT i.id, i.person_id, i.methods, i.valid_until, i.links, p.display_name, p.mail_sealed, p.language, p.time_zone,
       (SELECT n.value FROM login_names n WHERE n.person_id = p.id ORDER BY n.id LIMIT 1) AS login_name
     FROM invitations i JOIN persons p ON p.id = i.person_id WHERE ${waiting({ round, againBefore })}
     ORDER BY i.sent_at, i.id LIMIT ${limit}`,
    { round, againBefore: againBefore ?? null },
  );
}

export async function countUnsent(db: Db, { round, againBefore }: Which): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM invitations i WHERE ${waiting({ round, againBefore })}`,
    { round, againBefore: againBefore ?? null },
  );
  return Number(row!.n);
}

/** What one of them says, and the code that is known this once. */
export interface GivenOut {
  readonly row: Unsent;
  readonly code: string;
  readonly text: InvitationText;
}

/**
 * Gives each its code and its words. They count as sent, stand on the trail, and their people hear of it by mail, where they have one:
 * what is on paper or in a file is in somebody else's hands before it is in theirs.
 *
 * @param how what becomes of them, as the trail and the notice name it
 */
export async function giveOut(
  deps: Deps,
  work: Work,
  doer: Maker,
  rows: readonly Unsent[],
  how: 'invitation.printed' | 'invitation.merged',
): Promise<GivenOut[]> {
  if (rows.length === 0) return [];
  const { settings } = await readSettings(work);
  const links: SqlValues[] = [];
  const given = rows.map((row): GivenOut => {
    const link = makeLink(deps, idText(row.id), row.links + 1, work.now);
    links.push(link.row);
    const text = filled(deps, settings, textFor(settings, row.language), {
      name: row.display_name,
      language: row.language,
      timeZone: row.time_zone,
      methods: row.methods.split(' ') as Method[],
      code: link.code,
      validUntil: row.valid_until,
    });
    return { row, code: link.code, text };
  });
  const ids = rows.map(({ id }) => id);
  // What was given out before is of no use any more.
  await write(work, 'DELETE FROM invitation_links WHERE invitation_id IN (:ids)', { ids });
  await write(work, 'UPDATE invitations SET sent_at = :now, links = links + 1 WHERE id IN (:ids)', {
    ids,
    now: work.now,
  });
  await insertAll(work, 'invitation_links', links);
  await work.trailAll(
    rows.map(({ id, person_id }) => {
      const person = idText(person_id);
      const details = { invitation: idText(id) };
      return entryOf(doer, how, { kind: 'person', id: person }, { person, details });
    }),
  );
  for (const { id, person_id } of rows)
    await noticeTo(deps, work, idText(person_id), how, { about: idText(id), label: '' });
  return given;
}
