import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../e2e/support/inside.js';
import { select, write } from '../db/sql.js';
import { inTransaction } from '../db/unit-of-work.js';
import type { Mail } from '../delivery/outbox.js';
import { sendLater } from '../delivery/outbox.js';
import { sendDueMessages } from './outbox-sender.js';

let inside: Inside;
beforeAll(async () => {
  inside = await openInside();
});
afterAll(async () => await inside.close());
beforeEach(async () => void (await write(inside.deps, 'DELETE FROM outbox')));

const queue = async (to: string, usefulMs = 60_000) =>
  await inTransaction(inside.deps, async (work) =>
    sendLater(inside.deps, work, { kind: 'mail', to, subject: 'news', text: 'news' }, usefulMs),
  );
const rows = async () =>
  await select<{ state: string; last_error: string | null; lease_until: Date | null }>(
    inside.deps,
    'SELECT state, last_error, lease_until FROM outbox',
  );

/** A mail server that takes its time. */
class SlowServer {
  readonly taken: string[] = [];
  readonly #ends: (() => void)[] = [];
  readonly send = async ({ to }: Mail): Promise<void> => {
    this.taken.push(to);
    await new Promise<void>((resolve) => this.#ends.push(resolve));
  };
  finish(): void {
    for (const end of this.#ends.splice(0)) end();
  }
}

describe('the outbox', () => {
  it('sends several at a time, so that a slow server holds up no other', async () => {
    for (let i = 0; i < 6; i++) await queue(`to.${i}@wexmoor.example`);
    const slow = new SlowServer();
    const sending = sendDueMessages(inside.deps, slow.send);
    await expect.poll(() => slow.taken.length).toBe(4);
    slow.finish();
    await expect.poll(() => slow.taken.length).toBe(6);
    slow.finish();
    expect(await sending).toBe(6);
    expect(await rows()).toEqual([]);
  });

  it('keeps what it sends from other nodes for as long as the server thinks, and sends it once', async () => {
    await queue('once@wexmoor.example');
    const other = await inside.another();
    const [slow, elsewhere] = [new SlowServer(), new SlowServer()];
    const sending = sendDueMessages(inside.deps, slow.send);
    await expect.poll(() => slow.taken.length).toBe(1);
    const [first] = await rows();
    // It is taken anew before that runs out.
    await expect
      .poll(async () => (await rows())[0]!.lease_until!.getTime(), { timeout: 15_000, interval: 500 })
      .toBeGreaterThan(first!.lease_until!.getTime());
    expect(await sendDueMessages(other, elsewhere.send)).toBe(0);
    slow.finish();
    await sending;
    expect([slow.taken, elsewhere.taken]).toEqual([['once@wexmoor.example'], []]);
    expect(await rows()).toEqual([]);
  });

  it('gives up what is of no use any more, and says so', async () => {
    await queue('late@wexmoor.example', -1);
    const slow = new SlowServer();
    await sendDueMessages(inside.deps, slow.send);
    expect(slow.taken).toEqual([]);
    expect(await rows()).toMatchObject([{ state: 'failed', last_error: 'overdue' }]);
  });

  it('tries again what a server did not take', async () => {
    await queue('again@wexmoor.example');
    await sendDueMessages(inside.deps, () => Promise.reject(new TypeError('no')));
    expect(await rows()).toMatchObject([{ state: 'waiting', last_error: 'TypeError', lease_until: null }]);
  });
});
