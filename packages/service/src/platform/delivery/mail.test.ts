import { SMTPServer } from 'smtp-server';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { freePort } from '../../../../../scripts/lib/private-mariadb.mjs';
import type { Config } from '../config.js';
import { newId } from '../ids.js';
import { mail } from './mail.js';

const letters: { to: string[]; text: string }[] = [];
const server = new SMTPServer({
  authOptional: true,
  disabledCommands: ['STARTTLS', 'AUTH'],
  onData: (stream, session, done) => {
    let text = '';
    stream.on('data', (part) => (text += String(part)));
    stream.on('end', () => {
      letters.push({ to: session.envelope.rcptTo.map(({ address }) => address), text });
      done();
    });
  },
});
let port: number;
beforeAll(async () => {
  port = await freePort();
  await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', () => resolve()));
});
afterAll(async () => await new Promise<void>((resolve) => server.close(() => resolve())));

const random = (length: number) => Buffer.from(crypto.getRandomValues(new Uint8Array(length)));
const freshId = () => newId({ now: () => new Date(), random, sequence: { atMs: 0, count: 0 } });

it.each(['latch@wexmoor.example', 'Port of Wexmoor <latch@wexmoor.example>'])(
  'a letter that is sent a second time has the name of the first, and no other has it (from %s)',
  async (from) => {
    letters.length = 0;
    const way = mail.open({
      config: { smtp: { url: `smtp://127.0.0.1:${port}`, from } } as Config,
      now: () => new Date(),
    })!;
    const [one, other] = [freshId(), freshId()];
    const { signal } = new AbortController();
    // An address that would be two if it were a header line.
    const letter = {
      kind: 'mail',
      to: 'ines.marlow@wexmoor.example',
      subject: 'News\r\nBcc: eve@x.example',
      text: 'x',
    } as const;
    for (const id of [one, one, other]) await way.send(letter, { id, signal });
    way.close();
    const names = letters.map(({ text }) => /^Message-ID: (.*)\r$/im.exec(text)?.[1]);
    expect(names).toEqual([`<${one}@wexmoor.example>`, `<${one}@wexmoor.example>`, `<${other}@wexmoor.example>`]);
    expect(letters.map(({ to }) => to)).toEqual(letters.map(() => ['ines.marlow@wexmoor.example']));
    expect(letters.every(({ text }) => !/^bcc/im.test(text))).toBe(true);
  },
);
