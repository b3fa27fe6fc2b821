import type { Id, InvitingOutcome } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { selectToHold } from '../../platform/db/claims.js';
import { select, selectOneToWrite, write, type SqlValues } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import { sendAllLater, type Outgoing } from '../../platform/delivery/outbox.js';
import type { Delivery } from '../../platform/delivery/sender.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText, newId, storedId } from '../../platform/ids.js';
import type { JobRun } from '../../platform/jobs/jobs.js';
import { openContact } from '../people/contact.js';
import { readSettings, type Settings } from '../insight/settings-cache.js';
import { mailFor } from './compose.js';
import { invitations } from './invitation.model.js';
import { invitationRounds } from './invitation-round.model.js';
import { judge, type Judged } from './judge.js';
import { makeLink } from './links.js';
import { isOwner, readRound, type RoundRow } from './rounds.js';

/** People of one transaction. */
const BATCH = 250;
const DAY_MS = 86_400_000;

/** The job: a few hundred people in each transaction, who are invited or passed over, with the reason. */
export async function inviteJob(deps: Deps, run: JobRun): Promise<string> {
  const id = storedId(String(run.payload['round']));
  for (;;) {
    const passed = await inTransaction(deps, async (work) => await inviteSome(deps, work, id));
    if (passed === 'done') return 'everybody asked';
    await run.progress(`${passed} people`);
  }
}

async function inviteSome(deps: Deps, work: Work, id: Id): Promise<number | 'done'> {
  const round = await readRound(work, id, selectOneToWrite);
  if (round.state === 'done') return 'done';
  const some = await select<{ person_id: Buffer }>(
    work,
    `SELECT person_id FROM invitation_round_people WHERE round_id = :id AND person_id > :after ORDER BY person_id LIMIT ${BATCH}`,
    { id: round.id, after: round.done_up_to ?? Buffer.alloc(16) },
  );
  const { transaction } = work;
  if (some.length === 0) {
    await invitationRounds(work).update({ state: 'done', finishedAt: work.now }, { where: { id }, transaction });
    return 'done';
  }
  const ids = some.map((row) => row.person_id);
  // Nobody invites them elsewhere meanwhile, takes them a method away or makes them an administrator.
  await selectToHold(
    work,
    'persons WHERE id IN (:ids) ORDER BY id',
    'SELECT id FROM persons WHERE id IN (:ids) ORDER BY id',
    { ids },
  );
  // What ran out stands in nobody's way.
  await write(
    work,
    'UPDATE invitations SET open_for = NULL WHERE open_for IN (:ids) AND valid_until <= UTC_TIMESTAMP(3)',
    {
      ids,
    },
  );
  const judged = await judge(deps, work, ids, {
    methods: round.methods,
    via: round.via,
    byOwner: await isOwner(work, idText(round.asked_by)),
    countersigned: round.countersigned === 1,
  });
  await inviteAll(
    deps,
    work,
    round,
    judged.filter(({ outcome }) => outcome === 'invited'),
  );
  for (const [outcome, people] of byOutcome(judged))
    await write(
      work,
      'UPDATE invitation_round_people SET outcome = :outcome WHERE round_id = :id AND person_id IN (:people)',
      { outcome, id: round.id, people },
    );
  await invitationRounds(work).update(
    { state: 'running', passed: round.passed + ids.length, doneUpTo: idText(ids[ids.length - 1]!) },
    { where: { id }, transaction },
  );
  return round.passed + ids.length;
}

function byOutcome(judged: readonly Judged[]): ReadonlyMap<InvitingOutcome, Buffer[]> {
  const people = new Map<InvitingOutcome, Buffer[]>();
  for (const { outcome, row } of judged) people.set(outcome, [...(people.get(outcome) ?? []), row.id]);
  return people;
}

async function inviteAll(deps: Deps, work: Work, round: RoundRow, people: readonly Judged[]): Promise<void> {
  if (people.length === 0) return;
  const { settings } = await readSettings(work);
  const validUntil = new Date(work.now.getTime() + round.days * DAY_MS);
  const byMail = round.via === 'mail';
  const rows: SqlValues[] = [];
  const links: SqlValues[] = [];
  const letters: Outgoing[] = [];
  const entries: Parameters<Work['trailAll']>[0][number][] = [];
  for (const { row, offer } of people) {
    const id = newId(deps);
    const person = idText(row.id);
    rows.push(
      invitations.sent({
        id,
        roundId: idText(round.id),
        personId: person,
        openFor: person,
        methods: offer.methods,
        countersigned: round.countersigned === 1,
        via: round.via,
        createdAt: work.now,
        validUntil,
        nextReminderAt: byMail ? nextReminder(settings, work.now, 0) : null,
        links: byMail ? 1 : 0,
      }),
    );
    if (byMail) {
      const link = makeLink(deps, id, 1, work.now);
      links.push(link.row);
      const to = await openContact(deps, person, 'mail', row.mail_sealed);
      // An address that nobody can read any more is like none; the invitation shows as not sent, and as stuck once it is overdue.
      if (to !== null)
        letters.push({
          message: mailFor(deps, settings, {
            to,
            reminds: false,
            name: row.display_name,
            language: row.language,
            timeZone: row.time_zone,
            methods: offer.methods,
            code: link.code,
            validUntil,
          }),
          usefulMs: round.days * DAY_MS,
          about: { kind: 'invitation', id },
        });
    }
    entries.push({
      actor: { kind: 'person', id: idText(round.asked_by) },
      action: 'invitation.sent',
      target: { kind: 'person', id: person },
      person,
      origin: round.asked_from,
      reason: null,
      details: { invitation: id, round: idText(round.id), methods: [...offer.methods], via: round.via },
    });
  }
  await insertAll(work, 'invitations', rows);
  if (links.length > 0) await insertAll(work, 'invitation_links', links);
  await sendAllLater(deps, work, letters);
  await work.trailAll(entries);
}

/** When somebody is reminded who was so many times already; null where it is enough. */
export function nextReminder(
  { invitations: { reminders, remindDays } }: Settings,
  now: Date,
  reminded: number,
): Date | null {
  return reminded < reminders ? new Date(now.getTime() + remindDays * DAY_MS) : null;
}

/** What became of a letter. It is told more than once where a node was killed in between: the first time counts. */
export async function invitationTold(deps: Deps, ids: readonly Id[], delivery: Delivery): Promise<void> {
  await write(
    deps,
    delivery === 'sent'
      ? 'UPDATE invitations SET sent_at = COALESCE(sent_at, UTC_TIMESTAMP(3)), bounced_at = NULL WHERE id IN (:ids)'
      : 'UPDATE invitations SET bounced_at = UTC_TIMESTAMP(3), next_reminder_at = NULL WHERE id IN (:ids)',
    { ids: ids.map(idBytes) },
  );
}
