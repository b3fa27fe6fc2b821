import { LIMITS, type Answer } from '@nimble-latch/api';
import type { Method } from '@nimble-latch/core/vocabulary';
import QRCode from 'qrcode';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { selectOne, selectToWrite, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { noticeTo } from '../notices/notices.js';
import { readSettings } from '../insight/settings-cache.js';
import { filled, textFor } from './compose.js';
import { invitations } from './invitation.model.js';
import { enrolmentPage, linkOf, makeLink } from './links.js';
import { reachedRound } from './rounds.js';

type Letter = Answer<'invitationRounds.print'>['letters'][number];

interface Unprinted {
  readonly id: Buffer;
  readonly person_id: Buffer;
  readonly display_name: string;
  readonly language: string;
  readonly time_zone: string;
  readonly methods: string;
  readonly valid_until: Date;
  readonly links: number;
}

const WAITING = `i.round_id = :round AND i.via = 'letter' AND i.sent_at IS NULL AND i.open_for IS NOT NULL AND i.valid_until > UTC_TIMESTAMP(3)`;

/**
 * The letters of a sending that nobody has printed: each gets its code now, and is given out this once. Their people hear of it by mail,
 * where they have one: a letter is in somebody else's hands before it is in theirs.
 */
export const printLetters: Handler<'invitationRounds.print'> = async (deps, call) =>
  await call.run(async (work) => {
    const round = await reachedRound(work, call.actor, call.params.id);
    if (round.via !== 'letter') throw new Refusal('wrong-state', { state: 'mail' });
    const rows = await selectToWrite<Unprinted>(
      work,
      `SELECT i.id, i.person_id, i.methods, i.valid_until, i.links, p.display_name, p.language, p.time_zone
       FROM invitations i JOIN persons p ON p.id = i.person_id WHERE ${WAITING} ORDER BY i.id LIMIT ${LIMITS.lettersAtOnce}`,
      { round: round.id },
    );
    const letters = await writeLetters(deps, work, rows);
    for (const { id, person_id } of rows) {
      const person = idText(person_id);
      await work.trail(
        entryOf(
          call,
          'invitation.printed',
          { kind: 'person', id: person },
          { person, details: { invitation: idText(id) } },
        ),
      );
      await noticeTo(deps, work, person, 'invitation.printed', { about: idText(id), label: '' });
    }
    const left = await selectOne<{ n: number }>(work, `SELECT COUNT(*) AS n FROM invitations i WHERE ${WAITING}`, {
      round: round.id,
    });
    return { answer: { letters, left: Number(left!.n) } };
  });

async function writeLetters(deps: Deps, work: Work, rows: readonly Unprinted[]): Promise<Letter[]> {
  if (rows.length === 0) return [];
  const { settings } = await readSettings(work);
  const links: SqlValues[] = [];
  const letters: Letter[] = [];
  for (const row of rows) {
    const id = idText(row.id);
    const link = makeLink(deps, id, row.links + 1, work.now);
    links.push(link.row);
    const { body } = filled(deps, settings, textFor(settings, row.language), {
      name: row.display_name,
      language: row.language,
      timeZone: row.time_zone,
      methods: row.methods.split(' ') as Method[],
      code: link.code,
      validUntil: row.valid_until,
    });
    letters.push({
      person: { id: idText(row.person_id), displayName: row.display_name },
      lines: body,
      code: link.code,
      page: enrolmentPage(deps),
      qrSvg: await QRCode.toString(linkOf(deps, link.code), { type: 'svg', errorCorrectionLevel: 'M', margin: 4 }),
    });
    await invitations(work).update(
      { sentAt: work.now, links: row.links + 1 },
      { where: { id }, transaction: work.transaction },
    );
  }
  await insertAll(work, 'invitation_links', links);
  return letters;
}
