import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import type { Id } from '@nimble-latch/core/vocabulary';
import { select, write } from '../db/sql.js';
import { inTransaction } from '../db/unit-of-work.js';
import { newId } from '../ids.js';
import { startLoop } from '../jobs/loop.js';
import type { Channel, Sending } from './channel.js';
import { mail, type Mail } from './mail.js';
import { sendLater } from './outbox.js';
import { giveUpOverdue, sendDue } from './sender.js';

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
    const sending = sendDue(inside.deps, mail, slow.send);
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
    const sending = sendDue(inside.deps, mail, slow.send);
    await expect.poll(() => slow.taken.length).toBe(1);
    const [first] = await rows();
    // It is taken anew before that runs out.
    await expect
      .poll(async () => (await rows())[0]!.lease_until!.getTime(), { interval: 500 })
      .toBeGreaterThan(first!.lease_until!.getTime());
    expect(await sendDue(other, mail, elsewhere.send)).toBe(0);
    slow.finish();
    await sending;
    expect([slow.taken, elsewhere.taken]).toEqual([['once@wexmoor.example'], []]);
    expect(await rows()).toEqual([]);
  });

  it('begins nothing more once it is to stop, gives back what it had taken, and notes what was sent', async () => {
    for (let i = 0; i < 30; i++) await queue(`stop.${i}@wexmoor.example`);
    const sent: string[] = [];
    let stopped = false;
    const count = await sendDue(
      inside.deps,
      mail,
      ({ to }) => {
        sent.push(to);
        stopped = sent.length >= 6;
        return Promise.resolve();
      },
      {},
      () => stopped,
    );
    expect(sent.length).toBeLessThan(12);
    expect(count).toBe(sent.length);
    const left = await select<{ state: string; attempts: number; lease_until: Date | null }>(
      inside.deps,
      'SELECT state, attempts, lease_until FROM outbox',
    );
    expect(left).toHaveLength(30 - sent.length);
    expect(new Set(left.map((row) => JSON.stringify(row)))).toEqual(
      new Set([JSON.stringify({ state: 'waiting', attempts: 0, lease_until: null })]),
    );
  });

  it('tells of what is sent and refused for good, each once, and tries nothing again that was', async () => {
    const [taken, refused] = ['01890000-0000-7000-8000-000000000001', '01890000-0000-7000-8000-000000000002'] as Id[];
    await inTransaction(inside.deps, async (work) => {
      for (const [to, id] of [
        ['taken@wexmoor.example', taken],
        ['refused@wexmoor.example', refused],
        ['later@wexmoor.example', taken],
      ] as const)
        sendLater(inside.deps, work, { kind: 'mail', to, subject: 's', text: 't' }, 60_000, { kind: 'toy', id: id! });
      await Promise.resolve();
    });
    const heard: string[] = [];
    const told = {
      toy: async (_: unknown, ids: readonly Id[], delivery: string) =>
        void heard.push(...(await Promise.resolve(ids)).map((id) => `${id.slice(-1)} ${delivery}`)),
    };
    await sendDue(
      inside.deps,
      mail,
      ({ to }) => {
        if (to.startsWith('refused'))
          return Promise.reject(Object.assign(new Error('550'), { code: 'EENVELOPE', responseCode: 550 }));
        // Somebody's own mistake, which they may mend: it is tried again.
        if (to.startsWith('later'))
          return Promise.reject(Object.assign(new Error('535'), { code: 'EAUTH', responseCode: 535 }));
        return Promise.resolve();
      },
      told,
    );
    expect(heard.sort()).toEqual(['1 sent', '2 failed']);
    expect((await rows()).map(({ state }) => state).sort()).toEqual(['failed', 'waiting']);
  });

  it('notes with the next ones what could not be noted at once, and sends none of them twice', async () => {
    for (let i = 0; i < 39; i++)
      await inTransaction(inside.deps, async (work) =>
        sendLater(
          inside.deps,
          work,
          { kind: 'mail', to: `noted.${i}@wexmoor.example`, subject: 'news', text: 'news' },
          60_000,
          { kind: 'thing', id: `018f0000-0000-7000-8000-${String(i).padStart(12, '0')}` as Id },
        ),
      );
    const [taken, told]: [string[], string[]] = [[], []];
    let failures = 0;
    const sent = await sendDue(
      inside.deps,
      mail,
      async ({ to }) => {
        taken.push(to);
        await new Promise((resolve) => setTimeout(resolve, 50));
      },
      {
        thing: async (_deps, ids) => {
          await Promise.resolve();
          if (failures++ < 2) throw new Error('away for a moment');
          told.push(...ids);
        },
      },
    );
    expect([sent, new Set(taken).size, taken.length, new Set(told).size, told.length]).toEqual([39, 39, 39, 39, 39]);
    expect(failures).toBeGreaterThan(2);
    expect(await rows()).toEqual([]);
  });

  it('notes what was sent while something else was being noted, however long another one takes', async () => {
    const slow = new SlowServer();
    const told: string[] = [];
    for (const to of ['first', 'second', 'third'])
      await inTransaction(inside.deps, async (work) =>
        sendLater(inside.deps, work, { kind: 'mail', to, subject: 'news', text: 'news' }, 60_000, {
          kind: 'thing',
          id: newId(inside.deps),
        }),
      );
    const sending = sendDue(
      inside.deps,
      mail,
      async (message) => {
        if (message.to === 'second') await new Promise((resolve) => setTimeout(resolve, 150));
        if (message.to === 'third') await slow.send(message);
      },
      {
        thing: async (_deps, ids) => {
          // The note of the first is under way when the second is sent, and when its turn comes.
          if (told.length === 0) await new Promise((resolve) => setTimeout(resolve, 400));
          told.push(...ids);
        },
      },
    );
    await expect.poll(() => told.length).toBe(2);
    expect(slow.taken).toEqual(['third']);
    slow.finish();
    await sending;
    expect(told).toHaveLength(3);
    expect(await rows()).toEqual([]);
  });

  it('gives up what is of no use any more, and says so', async () => {
    await queue('late@wexmoor.example', -1);
    const slow = new SlowServer();
    await sendDue(inside.deps, mail, slow.send);
    expect(slow.taken).toEqual([]);
    expect(await rows()).toMatchObject([{ state: 'failed', last_error: 'overdue' }]);
  });

  it('tries again what a server did not take', async () => {
    await queue('again@wexmoor.example');
    await sendDue(inside.deps, mail, () => Promise.reject(new TypeError('no')));
    expect(await rows()).toMatchObject([{ state: 'waiting', last_error: 'TypeError', lease_until: null }]);
  });

  it('gives up sending after a while, and tries again', async () => {
    await queue('hung@wexmoor.example');
    let signalled = false;
    const hangs = async (_message: Mail, { signal }: Sending) => {
      signal.addEventListener('abort', () => (signalled = true));
      await new Promise(() => undefined);
    };
    await sendDue(inside.deps, { ...mail, mostMs: 50 }, hangs);
    expect(signalled).toBe(true);
    expect(await rows()).toMatchObject([{ state: 'waiting', last_error: 'TimeoutError', lease_until: null }]);
  });

  it('has each channel go its own way: one that is slow holds up no other', async () => {
    const toy: Channel = { ...mail, kind: 'toy', open: () => undefined };
    for (let i = 0; i < 6; i++) {
      await queue(`slow.${i}@wexmoor.example`);
      await write(inside.deps, "UPDATE outbox SET kind = 'toy' WHERE kind = 'mail'");
    }
    await queue('quick@wexmoor.example');
    const [slow, quick] = [new SlowServer(), [] as string[]];
    const sending = sendDue(inside.deps, toy, async (message) => await slow.send(message as Mail));
    await expect.poll(() => slow.taken.length).toBe(4);
    expect(await sendDue(inside.deps, mail, ({ to }) => Promise.resolve(void quick.push(to)))).toBe(1);
    expect(quick).toEqual(['quick@wexmoor.example']);
    slow.finish();
    await expect.poll(() => slow.taken.length).toBe(6);
    slow.finish();
    expect(await sending).toBe(6);
  });

  it('gives up what is of no use any more also where nothing is set up to send it', async () => {
    await queue('nobody@wexmoor.example', -1);
    await queue('later@wexmoor.example');
    await giveUpOverdue(inside.deps, mail);
    expect((await rows()).map(({ state, last_error }) => [state, last_error]).sort()).toEqual([
      ['failed', 'overdue'],
      ['waiting', null],
    ]);
  });

  it('wakes its channel once the change is kept, and never for one that was not', async () => {
    let rung = 0;
    const listen = () => (rung += 1);
    inside.deps.bells.on('mail', listen);
    const failing = inTransaction(inside.deps, async (work) => {
      sendLater(inside.deps, work, { kind: 'mail', to: 'x', subject: '', text: '' });
      throw new Error('on purpose');
    });
    await expect(failing).rejects.toThrow('on purpose');
    expect([rung, await rows()]).toEqual([0, []]);
    await queue('woken@wexmoor.example');
    expect(rung).toBe(1);
    inside.deps.bells.off('mail', listen);
  });
});

describe('a loop', () => {
  it('goes on at once when it is woken, and once more where it was at work', async () => {
    let rounds = 0;
    let end: () => void = () => undefined;
    const loop = startLoop('test', 3_600_000, inside.deps.log, async () => {
      rounds += 1;
      if (rounds === 2) await new Promise<void>((resolve) => (end = resolve));
    });
    await expect.poll(() => rounds).toBe(1);
    loop.wake();
    await expect.poll(() => rounds).toBe(2);
    loop.wake();
    loop.wake();
    end();
    await expect.poll(() => rounds).toBe(3);
    await loop.stop();
    loop.wake();
    expect(rounds).toBe(3);
  });
});
