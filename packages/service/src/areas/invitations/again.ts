import { LIMITS } from '@nimble-latch/api';
import type { Id, InvitationChannel, Method } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { select, selectOneToWrite, type Db } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import { sendAllLater } from '../../platform/delivery/outbox.js';
import type { Deps } from '../../platform/deps.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import type { Maker } from '../keyring/enrolling.js';
import { lockPerson } from '../people/lock-person.js';
import { openContact } from '../people/contact.js';
import { readSettings, type Settings } from '../insight/settings-cache.js';
import { mailFor } from './compose.js';
import { nextReminder } from './invite.js';
import { invitations } from './invitation.model.js';
import { judge } from './judge.js';
import { endLinks, makeLink } from './links.js';
import { assertMailServer, isOwner } from './rounds.js';
import { readInvitation } from './list.js';

const DAY_MS = 86_400_000;

/** An invitation with its person, as it is sent again. */
interface Again {
  readonly id: Buffer;
  readonly person_id: Buffer;
  readonly round_id: Buffer;
  readonly methods: string;
  readonly via: InvitationChannel;
  readonly countersigned: number;
  readonly valid_until: Date;
  readonly bounced_at: Date | null;
  readonly done_at: Date | null;
  readonly withdrawn_at: Date | null;
  readonly reminders: number;
  readonly links: number;
  readonly sent_anew: number;
  readonly next_reminder_at: Date | null;
  readonly overdue: number;
}

const LOCKED = 'SELECT i.*, (i.valid_until <= UTC_TIMESTAMP(3)) AS overdue FROM invitations i WHERE i.id = :id';

/** The person before their invitation, as every use case locks them. */
async function lockInvitation(work: Work, id: Id): Promise<Again> {
  const [whose] = await select<{ person_id: Buffer }>(work, 'SELECT person_id FROM invitations WHERE id = :id', {
    id: idBytes(id),
  });
  if (!whose) throw notFound();
  await lockPerson(work, idText(whose.person_id));
  return (await selectOneToWrite<Again>(work, LOCKED, { id: idBytes(id) }))!;
}

const stateOf = ({ done_at, withdrawn_at, overdue }: Again): 'done' | 'withdrawn' | 'overdue' | 'open' =>
  done_at ? 'done' : withdrawn_at ? 'withdrawn' : Number(overdue) === 1 ? 'overdue' : 'open';

/** Sends a letter of an invitation with a link of its own. Throws `no-mail` where nobody can be reached. */
async function sendLetter(
  deps: Deps,
  work: Work,
  settings: Settings,
  row: Again,
  {
    methods,
    validUntil,
    reminds,
  }: { readonly methods: readonly Method[]; readonly validUntil: Date; readonly reminds: boolean },
): Promise<void> {
  const [id, person] = [idText(row.id), idText(row.person_id)];
  const [who] = await select<{ display_name: string; language: string; time_zone: string; mail_sealed: Buffer | null }>(
    work,
    'SELECT display_name, language, time_zone, mail_sealed FROM persons WHERE id = :id',
    { id: row.person_id },
  );
  const to = await openContact(deps, person, 'mail', who!.mail_sealed);
  if (to === null) throw new Refusal('no-mail');
  if (row.links >= LIMITS.lettersPerInvitation)
    throw new Refusal('limit-reached', { limit: LIMITS.lettersPerInvitation });
  const link = makeLink(deps, id, row.links + 1, work.now);
  await insertAll(work, 'invitation_links', [link.row]);
  await sendAllLater(deps, work, [
    {
      message: mailFor(deps, settings, {
        to,
        reminds,
        name: who!.display_name,
        language: who!.language,
        timeZone: who!.time_zone,
        methods,
        code: link.code,
        validUntil,
      }),
      usefulMs: validUntil.getTime() - work.now.getTime(),
      about: { kind: 'invitation', id },
    },
  ]);
}

/** Reminds somebody: one more letter, one more link, the same invitation. */
async function remind(deps: Deps, work: Work, row: Again, settings: Settings): Promise<void> {
  const methods = row.methods.split(' ') as Method[];
  await sendLetter(deps, work, settings, row, { methods, validUntil: row.valid_until, reminds: true });
  await invitations(work).update(
    {
      links: row.links + 1,
      reminders: row.reminders + 1,
      remindedAt: work.now,
      bouncedAt: null,
      nextReminderAt: nextReminder(settings, work.now, row.reminders + 1),
    },
    { where: { id: idText(row.id) }, transaction: work.transaction },
  );
}

/** By somebody, now. */
export const remindNow: Handler<'invitations.remind'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await lockInvitation(work, id);
    const state = stateOf(row);
    if (state !== 'open' || row.via !== 'mail')
      throw new Refusal('wrong-state', { state: row.via === 'mail' ? state : row.via });
    assertMailServer(deps, 'mail');
    await remind(deps, work, row, (await readSettings(work)).settings);
    const person = idText(row.person_id);
    await work.trail(
      entryOf(call, 'invitation.reminded', { kind: 'person', id: person }, { person, details: { invitation: id } }),
    );
    return { answer: await readInvitation(work, id) };
  });

/** Sends an invitation anew: what was sent before is of no use any more, and its time begins again. */
export const sendAnew: Handler<'invitations.sendAnew'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await lockInvitation(work, id);
    const state = stateOf(row);
    if (state === 'done' || state === 'withdrawn') throw new Refusal('wrong-state', { state });
    assertMailServer(deps, row.via);
    const { settings } = await readSettings(work);
    // What stood in its way when it was sent may have changed, and what did not may have come.
    await invitations(work).update({ openFor: null }, { where: { id }, transaction: work.transaction });
    const wanted = row.methods.split(' ') as Method[];
    const [judged] = await judge(deps, work, [row.person_id], {
      methods: wanted,
      via: row.via,
      byOwner: await isOwner(work, call.actor.personId),
      countersigned: row.countersigned === 1,
    });
    if (judged!.outcome === 'no-mail') throw new Refusal('no-mail');
    if (judged!.outcome !== 'invited') throw new Refusal('wrong-state', { state: judged!.outcome });
    const days = await roundDays(work, row.round_id);
    const validUntil = new Date(work.now.getTime() + days * DAY_MS);
    const person = idText(row.person_id);
    await endLinks(work, id);
    await invitations(work).update(
      {
        openFor: person,
        methods: judged!.offer.methods,
        validUntil,
        sentAt: null,
        bouncedAt: null,
        openedAt: null,
        begunAt: null,
        reminders: 0,
        remindedAt: null,
        nextReminderAt: row.via === 'mail' ? nextReminder(settings, work.now, 0) : null,
        sentAnew: row.sent_anew + 1,
        links: row.via === 'mail' ? row.links + 1 : row.links,
      },
      { where: { id }, transaction: work.transaction },
    );
    if (row.via === 'mail')
      await sendLetter(deps, work, settings, row, { methods: judged!.offer.methods, validUntil, reminds: false });
    await work.trail(
      entryOf(call, 'invitation.sent-anew', { kind: 'person', id: person }, { person, details: { invitation: id } }),
    );
    return { answer: await readInvitation(work, id) };
  });

async function roundDays(db: Db, round: Buffer): Promise<number> {
  const [row] = await select<{ days: number }>(db, 'SELECT days FROM invitation_rounds WHERE id = :round', { round });
  return row!.days;
}

/** Ends an invitation whose row is locked, and that is still of use. */
async function withdrawLocked(work: Work, doer: Maker, row: Again): Promise<void> {
  const id = idText(row.id);
  await invitations(work).update(
    { withdrawnAt: work.now, openFor: null, nextReminderAt: null },
    { where: { id }, transaction: work.transaction },
  );
  await endLinks(work, id);
  const person = idText(row.person_id);
  await work.trail(
    entryOf(doer, 'invitation.withdrawn', { kind: 'person', id: person }, { person, details: { invitation: id } }),
  );
}

/** Ends an invitation if it can still be used; answers whether it did. */
export async function withdrawIfOpen(work: Work, doer: Maker, id: Id): Promise<boolean> {
  const row = await lockInvitation(work, id);
  if (stateOf(row) !== 'open') return false;
  await withdrawLocked(work, doer, row);
  return true;
}

/** Ends an invitation. Whoever was let in by it gets no further: their right asks for it each time. */
export const withdrawInvitation: Handler<'invitations.withdraw'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await lockInvitation(work, id);
    const state = stateOf(row);
    if (state === 'done' || state === 'withdrawn') throw new Refusal('wrong-state', { state });
    await withdrawLocked(work, call, row);
    return { answer: await readInvitation(work, id) };
  });

/** Invitations of one look. */
const AT_ONCE = 200;

/** Reminds whoever it is time for, each in a transaction of their own. */
export async function remindDue(deps: Deps): Promise<string> {
  if (!deps.config.smtp) return 'no mail server';
  let reminded = 0;
  for (;;) {
    const due = await select<{ id: Buffer }>(
      deps,
      `SELECT id FROM invitations WHERE next_reminder_at <= UTC_TIMESTAMP(3) ORDER BY next_reminder_at LIMIT ${AT_ONCE}`,
    );
    for (const { id } of due) if (await remindOne(deps, idText(id))) reminded++;
    if (due.length < AT_ONCE) return `${reminded} reminded`;
  }
}

async function remindOne(deps: Deps, id: Id): Promise<boolean> {
  return await inTransaction(deps, async (work) => {
    const row = await lockInvitation(work, id);
    // As it is now: another node may have been here, and what is over is reminded of no more.
    if (row.next_reminder_at === null || row.next_reminder_at > work.now) return false;
    const person = idText(row.person_id);
    const [who] = await select<{ state: string; mail_sealed: Buffer | null }>(
      work,
      'SELECT state, mail_sealed FROM persons WHERE id = :id',
      { id: row.person_id },
    );
    const reachable = who?.state === 'active' && (await openContact(deps, person, 'mail', who.mail_sealed)) !== null;
    const enough = row.links >= LIMITS.lettersPerInvitation;
    if (stateOf(row) !== 'open' || row.bounced_at !== null || !reachable || enough) {
      await invitations(work).update({ nextReminderAt: null }, { where: { id }, transaction: work.transaction });
      return false;
    }
    await remind(deps, work, row, (await readSettings(work)).settings);
    await work.trail({
      actor: { kind: 'service', id: null },
      action: 'invitation.reminded',
      target: { kind: 'person', id: person },
      person,
      origin: null,
      reason: null,
      details: { invitation: id },
    });
    return true;
  });
}
