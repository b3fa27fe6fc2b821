import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import nodemailer from 'nodemailer';
import { afterEach, describe, expect, it } from 'vitest';
import { linksIn } from './letters.js';
import { createMailbox, type Mailbox, type MailboxOptions } from './server.js';

const stops: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const stop of stops.splice(0)) await stop();
});

async function started(options: Partial<MailboxOptions> = {}) {
  const mailbox = createMailbox({ now: () => new Date('2026-11-30T08:00:00Z'), ...options });
  await new Promise<void>((resolve) => mailbox.smtp.listen(0, '127.0.0.1', () => resolve()));
  stops.push(async () => await new Promise<void>((resolve) => mailbox.smtp.close(() => resolve())));
  const { port } = mailbox.smtp.server.address() as AddressInfo;
  const mail = nodemailer.createTransport({ host: '127.0.0.1', port, ignoreTLS: true });
  const send = async (to: string, subject: string, text: string) =>
    await mail.sendMail({ from: 'latch@wexmoor.example', to, subject, text });
  return { mailbox, send };
}
const seen = async (mailbox: Mailbox, query = '') =>
  (await mailbox.app.inject({ url: `/letters${query}` })).json<{ to: string[]; subject: string; text: string }[]>();

describe('the mailbox', () => {
  it('shows what came as its reader sees it, in any writing, the latest first', async () => {
    const { mailbox, send } = await started();
    const text = `Guten Tag Maëlle,\n\n${'eine sehr lange Zeile für Umbrüche '.repeat(6)}\nÜbrig: 9.\n`;
    await send('maelle@wexmoor.example', 'Ihre Mittel zum Anmelden haben sich geändert', text);
    await send('tove@wexmoor.example', 'Second', 'text');
    const letters = await seen(mailbox);
    expect(letters.map(({ subject }) => subject)).toEqual(['Second', 'Ihre Mittel zum Anmelden haben sich geändert']);
    expect(letters[1]!.text.trim()).toBe(text.trim());
    expect((await seen(mailbox, '?to=TOVE@wexmoor.example')).map(({ to }) => to)).toEqual([['tove@wexmoor.example']]);
    expect(await seen(mailbox, '?to=nobody@wexmoor.example')).toEqual([]);
    const { headers, body } = await mailbox.app.inject({ url: '/' });
    expect(headers['content-security-policy']).toContain("default-src 'none'");
    expect(body).not.toMatch(/<script>|style=|onclick/);
  });

  it('refuses whom it does not know, and what is too large', async () => {
    const { mailbox, send } = await started({ refuse: ['gone@wexmoor.example'] });
    await expect(send('Gone@wexmoor.example', 's', 't')).rejects.toMatchObject({ responseCode: 550 });
    await expect(send('here@wexmoor.example', 's', 'x'.repeat(300_000))).rejects.toMatchObject({ responseCode: 552 });
    expect(await seen(mailbox)).toEqual([]);
  });

  it('opens links as a scanner does: by GET, without what follows the number sign, on this machine alone', async () => {
    const asked: string[] = [];
    const page = createServer((request, response) => {
      asked.push(`${request.method} ${request.url}`);
      response.end('ok');
    });
    await new Promise<void>((resolve) => page.listen(0, '127.0.0.1', () => resolve()));
    stops.push(async () => await new Promise<void>((resolve) => page.close(() => resolve())));
    const at = `http://127.0.0.1:${(page.address() as AddressInfo).port}`;
    const { mailbox, send } = await started({ scan: true });
    await send(
      'tove@wexmoor.example',
      's',
      `Here: ${at}/enrol#secret. Elsewhere: https://wexmoor.example/x, (${at}/two).`,
    );
    await expect.poll(() => [...mailbox.scanned].sort()).toEqual([`${at}/enrol#secret`, `${at}/two`].sort());
    expect(asked.sort()).toEqual(['GET /enrol', 'GET /two']);
  });

  it('keeps the last five hundred', async () => {
    const { letters } = createMailbox({ now: () => new Date() });
    for (let i = 1; i <= 502; i++) await letters.add(Buffer.from(`Subject: ${i}\r\n\r\n`), ['a@b.example'], new Date());
    expect(letters.list()).toHaveLength(500);
    expect(letters.list()[0]!.subject).toBe('502');
    expect(letters.list().at(-1)!.subject).toBe('3');
  });

  it('finds links, without what ends the sentence', () => {
    expect(linksIn('see https://a.example/b#c, and (http://d.example/e?f=1). https://a.example/b#c!')).toEqual([
      'https://a.example/b#c',
      'http://d.example/e?f=1',
    ]);
    expect(linksIn('nothing here: httpx://a')).toEqual([]);
  });
});
