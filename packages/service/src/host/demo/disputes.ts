import { decodeBase32 } from '@nimble-latch/core/crypto';
import { totp } from '@nimble-latch/core/codes';
import type { Answer } from '@nimble-latch/api';
import type { Id } from '@nimble-latch/core/vocabulary';
import { select, write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import type { CallOf } from './keys.js';

const HOUR = 3_600_000;

/**
 * Two people who said that a change was not them: one that turned out to be her own second phone, and one that nobody has seen to.
 *
 * @returns how many
 */
export async function loadDisputes(
  deps: Deps,
  call: CallOf,
  clock: { at: number },
  today: number,
  idOf: (name: string) => Promise<Id | undefined>,
): Promise<number> {
  const settled = await disputed('Dagny Holm', today - 74 * HOUR);
  if (settled) {
    clock.at = today - 70 * HOUR;
    await call('disputes.settle', {
      params: { id: settled },
      body: { why: 'Her own second phone; taken back into use with her on the telephone' },
    });
  }
  const open = await disputed('Bram Oster', today - 5 * HOUR);
  return (settled ? 1 : 0) + (open ? 1 : 0);

  /** An app is set up for somebody at a desk, and they answer the notice of it. */
  async function disputed(name: string, at: number): Promise<Id | undefined> {
    const person = await idOf(name);
    if (!person) return undefined;
    clock.at = at;
    const begun: Answer<'totp.begin'> = await call('totp.begin', { params: { id: person }, body: {} });
    const seed = decodeBase32(begun.key.replaceAll(' ', ''))!;
    const codes = [totp(seed, at, { algorithm: 'SHA1', digits: 6, period: 30 })];
    await call('totp.prove', { params: { id: begun.authenticator.id }, body: { codes } });
    const code = await latestNotice();
    if (code === undefined) return undefined;
    clock.at = at + 22 * 60_000;
    await call('own.dispute', { body: { code } });
    const [row] = await select<{ id: Buffer }>(
      deps,
      'SELECT id FROM change_notices WHERE person_id = :person AND disputed_at IS NOT NULL ORDER BY id DESC LIMIT 1',
      { person: idBytes(person) },
    );
    return row && idText(row.id);
  }

  /** What the reader of the latest notice sees of it. It has been read, and is not sent to the mailbox today. */
  async function latestNotice(): Promise<string | undefined> {
    const rows = await select<{ id: Buffer; sealed: Buffer }>(
      deps,
      "SELECT id, sealed FROM outbox WHERE kind = 'mail' AND created_at <= :at ORDER BY id DESC LIMIT 5",
      { at: new Date(clock.at) },
    );
    for (const { id, sealed } of rows) {
      const plain = await deps.keys.opening((keys) => keys.open('outbox', `outbox/${idText(id)}`, sealed));
      const code = /#(nln_[a-z2-7_]+)/.exec((JSON.parse(plain.toString()) as { text: string }).text)?.[1];
      if (code === undefined) continue;
      await write(deps, 'DELETE FROM outbox WHERE id = :id', { id });
      return code;
    }
    return undefined;
  }
}
