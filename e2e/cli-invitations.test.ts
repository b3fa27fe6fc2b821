import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { nlatchWithin } from './support/client.js';
import { Installation } from './support/installation.js';
import { inviting } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';

let inst: Installation;
let post: Post;
let at: ReturnType<typeof inviting>;
const dir = mkdtempSync(join(tmpdir(), 'nlatch-'));
beforeAll(async () => {
  post = await startPost();
  inst = await Installation.start(1, post.environment);
  at = inviting(inst, post);
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
  rmSync(dir, { recursive: true, force: true });
});

/** Runs the client as a user's script would: no terminal, an access token from the environment. */
const nlatch = (args: string[]) =>
  nlatchWithin(args, {
    env: { PATH: process.env['PATH']!, HOME: dir, NLATCH_TOKEN: inst.ownerToken, NLATCH_SERVER: inst.url, TZ: 'UTC' },
    input: '',
  });

describe('nlatch invitation', () => {
  it('tells whom it would come to, sends to people of a file, and says who is where', async () => {
    const [id] = [await at.add('wenna.tide', { displayName: 'Wenna Tide' }), await at.add('nell', { mail: null })];
    const file = join(dir, 'starters.csv');
    writeFileSync(
      file,
      '\ufeffName,Account\r\nWenna Tide,wenna.tide\r\n"Nell, who has no mail",NELL\r\nNobody,no.one\r\n',
    );
    const send = ['invitation', 'send', '--method', 'totp', '--file', file];
    expect(await nlatch([...send, '--column', 'Login'])).toMatchObject({
      code: 2,
      err: expect.stringContaining('name one of: Name, Account') as string,
    });
    const preview = await nlatch([...send, '--column', 'account', '--dry-run']);
    expect(preview.out).toMatch(
      /^Asked for: 2 people\.\n {8}1 {2}invited\n {8}1 {2}without a mail address\nNobody’s: no\.one\n\nNAME +WHY\n.+ without a mail address\n$/,
    );
    expect(await at.latest(id)).toBeUndefined();
    // What is nobody's is not passed over in silence.
    expect(await nlatch([...send, '--column', 'account', '-y'])).toMatchObject({
      code: 2,
      err: expect.stringContaining('is nobody’s: no.one') as string,
    });
    writeFileSync(file, 'wenna.tide\r\nwenna.tide\r\nnell\r\n');
    expect(await nlatch([...send, '-y'])).toMatchObject({
      code: 0,
      // Nobody was asked, and so nobody has read yet who is passed over.
      out: expect.stringMatching(
        /^Asked for: 2 people\.\n +1 {2}invited\n +1 {2}without a mail address\nSending [\w-]+: invited 1 of 2\.\n$/,
      ) as string,
    });
    await inst.owner.call('people.add', {
      body: { displayName: 'Without', loginNames: ['without'], mail: 'without@wexmoor.example' },
    });
    const without = await nlatch(['invitation', 'send', '--method', 'totp', 'without', '-y']);
    expect(without.out).toContain('1 of those invited has neither a password nor a pass');
    await at.codeFor('wenna.tide');
    const listed = await nlatch(['invitation', 'list', '--of', 'wenna.tide']);
    expect(listed.out).toMatch(
      /^WHOSE +STATE +FOR +SINCE +UNTIL +REMINDED\nWenna Tide +(sent|not sent yet) +totp +.*in \d+ days +0\n/,
    );
    for (const line of listed.out.split('\n')) expect(line.length).toBeLessThanOrEqual(100);
    expect((await nlatch(['invitation', 'remind', 'wenna.tide'])).out).toBe('Wenna Tide is reminded.\n');
    await at.codeFor('wenna.tide', /Reminder: /);
    expect(await nlatch(['invitation', 'anew', 'wenna.tide'])).toMatchObject({ code: 2 });
    expect((await nlatch(['invitation', 'anew', 'wenna.tide', '-y'])).out).toContain('is sent anew');
    expect((await nlatch(['invitation', 'withdraw', 'wenna.tide', '-y'])).out).toContain('is withdrawn');
    expect((await nlatch(['invitation', 'figures'])).out).toMatch(/withdrawn +1\n/);
    const { rows } = JSON.parse((await nlatch(['invitation', 'sendings', '--json'])).out) as { rows: { id: string }[] };
    expect((await nlatch(['invitation', 'people', rows[0]!.id])).out).toMatch(/without a mail address|invited/);
    for (const [args, said] of [
      [['send', '--method', 'totp'], 'it is not said whom to invite'],
      [['send', '--group', 'nowhere', '--method', 'totp'], 'there is no group nowhere'],
      [['send', 'nell', '--all', '--method', 'totp'], 'say it in one way'],
      [['send', 'nell', '--method', 'sms'], 'expected one of totp, webauthn'],
      [['withdraw', 'nell'], 'has no invitation'],
    ] as const)
      expect((await nlatch(['invitation', ...args])).err, args.join(' ')).toContain(said);
  });

  it('prints letters once into a file of one’s own, and never over another', async () => {
    await at.add('cato.wray', { displayName: 'Cato Wray <script>' });
    const sent = await nlatch(['invitation', 'send', 'cato.wray', '--method', 'totp', '--letter', '-y']);
    const id = /nlatch invitation letters ([\w-]+)/.exec(sent.out)![1]!;
    const out = join(dir, 'letters.html');
    const kept = join(dir, 'kept.html');
    writeFileSync(kept, 'mine');
    expect((await nlatch(['invitation', 'letters', id, '--out', kept, '-y'])).code).not.toBe(0);
    expect(readFileSync(kept, 'utf8')).toBe('mine');
    const printed = await nlatch(['invitation', 'letters', id, '--out', out, '-y']);
    expect(printed.out).toContain('1 letter in');
    expect(statSync(out).mode & 0o077).toBe(0);
    const page = readFileSync(out, 'utf8');
    expect(page).toContain('Cato Wray &lt;script&gt;');
    expect(page).not.toContain('<script>');
    const code = /([A-Z]{4}-){5}[A-Z]{4}/.exec(page)![0];
    expect(printed.out + printed.err).not.toContain(code);
    expect((await at.bring(code)).signIn.state).toBe('asking');
    const again = await nlatch(['invitation', 'letters', id, '--out', join(dir, 'again.html'), '-y']);
    expect(again.out).toContain('No letter of this sending is waiting');
    expect(existsSync(join(dir, 'again.html'))).toBe(false);
  });

  it('says who is invited by itself, and what letters say', async () => {
    await nlatch(['group', 'add', 'starters']);
    const begin = ['invitation', 'standing-begin', '--group', 'starters', '--method', 'totp'];
    expect((await nlatch(begin)).err).toContain('There now: 0, of whom 0 would be invited.');
    expect((await nlatch([...begin, '-y'])).out).toBe('From now on whoever joins starters is invited.\n');
    const standing = await nlatch(['invitation', 'standing']);
    expect(standing.out).toMatch(/starters +totp +0 +0 +0/);
    const id = /[0-9a-f]{8}-[\w-]+/.exec(standing.out)![0];
    expect((await nlatch(['invitation', 'standing-end', id, '-y'])).out).toContain('has ended');
    const text = join(dir, 'text.txt');
    writeFileSync(text, 'Hello {name}: {lnk}');
    expect(await nlatch(['invitation', 'text', '--body', text])).toMatchObject({
      code: 2,
      err: expect.stringContaining('{lnk} is no field that can stand in a text') as string,
    });
    writeFileSync(text, 'Hello {name}: {link}');
    expect((await nlatch(['invitation', 'text', '--body', text])).out).toContain('Hello Ines Marlow: http');
    expect((await nlatch(['invitation', 'text'])).out).toContain('Hello {name}: {link}');
    expect((await nlatch(['invitation', 'text', '--delivered'])).out).toContain('you are invited');
  });
});
