import type { Answer } from '@nimble-latch/api';
import { totp } from '@nimble-latch/core/codes';
import { decodeBase32 } from '@nimble-latch/core/crypto';
import type { Id, InvitationChannel } from '@nimble-latch/core/vocabulary';
import { inviteJob } from '../../areas/invitations/invite.js';
import { select, write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import type { CallOf } from './keys.js';
import { DEMO_PASSWORD, type GroupName } from './world.js';

const DAY = 86_400_000;
const HOUR = 3_600_000;

/** Who did what with an invitation, the first ones of a sending each: the others have not opened it. */
interface Life {
  readonly done: number;
  readonly begun: number;
  readonly opened: number;
  readonly bounced: number;
}

/**
 * Invitations as a roll-out has them: the customs desk was asked weeks ago, and some did nothing; the port offices lately; letters for the
 * quay wait to be printed, and the pilots’ to be put into a merge file; whoever joins the contractors is asked by itself; and the tower's wait for a second administrator.
 *
 * @returns how many people were invited
 */
export async function loadInvitations(
  deps: Deps,
  call: CallOf,
  clock: { at: number },
  today: number,
  groups: ReadonlyMap<GroupName, Id>,
): Promise<number> {
  // Without a mail server nobody can be reached but on paper.
  if (!deps.config.smtp) return 0;
  let invited = 0;
  const weak = async (group: GroupName, limit: number): Promise<Id[]> => {
    const { rows } = await call('people.list', {
      query: `group=${groups.get(group)!}&coverage=weak&state=active&limit=${limit}`,
    });
    return rows.filter(({ hasPassword, emergency }) => hasPassword && !emergency).map(({ id }) => id);
  };
  const send = async (ids: readonly Id[], daysAgo: number, via: InvitationChannel, days: number) => {
    clock.at = today - daysAgo * DAY;
    const { id } = await call('invitationRounds.begin', {
      body: { who: { ids: [...ids] }, methods: ['totp', 'webauthn'], via, days, expect: ids.length },
    });
    await inviteJob(deps, { payload: { round: id }, progress: async () => await Promise.resolve() });
    const { outcomes } = await call('invitationRounds.show', { params: { id } });
    invited += outcomes.invited ?? 0;
    await write(
      deps,
      `UPDATE invitations SET sent_at = IF(via = 'mail', created_at + INTERVAL 2 SECOND, NULL) WHERE round_id = :id`,
      { id: idBytes(id) },
    );
    return id;
  };

  const customs = await send(await weak('customs-desk', 12), 19, 'mail', 60);
  await live(customs, { done: 3, begun: 0, opened: 0, bounced: 0 });
  // As it was asked for then: whoever did nothing is too late by now, and their letters are of no use.
  await write(
    deps,
    `UPDATE invitations SET valid_until = created_at + INTERVAL 14 DAY, reminders = 2, reminded_at = created_at + INTERVAL 8 DAY, next_reminder_at = NULL
     WHERE round_id = :id AND done_at IS NULL`,
    { id: idBytes(customs) },
  );
  await write(deps, 'UPDATE invitation_rounds SET days = 14 WHERE id = :id', { id: idBytes(customs) });
  await write(
    deps,
    `DELETE o FROM outbox o JOIN invitations i ON i.id = o.about_id WHERE o.about_kind = 'invitation' AND i.round_id = :id`,
    { id: idBytes(customs) },
  );
  const offices = await send(await weak('port-offices', 14), 3, 'mail', 14);
  await live(offices, { done: 2, begun: 1, opened: 2, bounced: 1 });
  await send(await weak('quay-crew', 4), 1, 'letter', 14);
  await send(await weak('pilots', 6), 1, 'file', 14);
  clock.at = today - 10 * DAY;
  await call('standingInvitations.begin', {
    body: { group: groups.get('contractors')!, methods: ['totp', 'webauthn'] },
  });
  await guardTheTower();
  return invited;

  /** What people do with what they got. */
  async function live(round: Id, { done, begun, opened, bounced }: Life): Promise<void> {
    const rows = await select<{ id: Buffer; sealed: Buffer; outbox: Buffer }>(
      deps,
      `SELECT i.id, o.sealed, o.id AS outbox FROM invitations i JOIN outbox o ON o.about_id = i.id AND o.about_kind = 'invitation'
       WHERE i.round_id = :round ORDER BY i.id`,
      { round: idBytes(round) },
    );
    for (const [at, row] of rows.slice(0, done + begun + opened).entries()) {
      clock.at += Math.floor((3 + at * 2) * HOUR);
      const code = await codeIn(row.sealed, row.outbox);
      const brought = await call('own.begin', { body: { place: 'enrolment', invitation: code } });
      if (at >= done + begun) continue;
      const { right } = await call('own.prove', {
        params: { id: brought.signIn.id },
        body: { kind: 'password', value: DEMO_PASSWORD, handle: brought.handle },
      });
      if (at < done && right) await enrol(right);
    }
    for (const row of rows.slice(rows.length - bounced))
      await write(
        deps,
        `UPDATE invitations SET sent_at = NULL, bounced_at = created_at + INTERVAL 3 SECOND, next_reminder_at = NULL WHERE id = :id`,
        { id: row.id },
      );
    // What was answered or came back is not sent again.
    const over = [...rows.slice(0, done + begun + opened), ...rows.slice(rows.length - bounced)];
    if (over.length > 0)
      await write(deps, 'DELETE FROM outbox WHERE id IN (:over)', { over: over.map(({ outbox }) => outbox) });
  }

  /** What its reader sees of a letter that waits to be sent. */
  async function codeIn(sealed: Buffer, id: Buffer): Promise<string> {
    const plain = await deps.keys.opening((keys) => keys.open('outbox', `outbox/${idText(id)}`, sealed));
    return /#([A-Z-]{29})/.exec((JSON.parse(plain.toString()) as { text: string }).text)![1]!;
  }

  async function enrol(right: string): Promise<void> {
    const begun: Answer<'own.beginTotp'> = await call('own.beginTotp', { body: { right } });
    const seed = decodeBase32(begun.key.replaceAll(' ', ''))!;
    const code = totp(seed, clock.at, { algorithm: 'SHA1', digits: 6, period: 30 });
    await call('own.proveTotp', { params: { id: begun.authenticator.id }, body: { right, codes: [code] } });
  }

  /** Whoever begins there is let do so by two administrators: the owner asks for the first few, and it waits. */
  async function guardTheTower(): Promise<void> {
    clock.at = today - 9 * DAY;
    const { rows, version } = await call('methods.show', {});
    const everybody = rows.at(-1)!.cells;
    const guarded = (method: 'totp' | 'webauthn') => ({
      ...everybody[method]!,
      parameters: { ...everybody[method]!.parameters, first: 'countersigned' as const },
    });
    const tower = {
      group: groups.get('harbour-control')!,
      cells: { totp: guarded('totp'), webauthn: guarded('webauthn') },
    };
    await call('methods.edit', {
      body: { rows: [tower, ...rows.map(({ group, cells }) => ({ group, cells }))], lockedOut: 0 },
      ifMatch: version,
    });
    deps.methods.forget();
    const ids = await weak('harbour-control', 4);
    clock.at = today - 45 * 60_000;
    await call('invitationRounds.begin', {
      body: { who: { ids }, methods: ['totp', 'webauthn'], expect: ids.length },
    }).catch((error: unknown) => {
      if (!String(error).includes('signature-needed')) throw error;
    });
  }
}
