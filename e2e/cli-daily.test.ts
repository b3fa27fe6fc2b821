import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { nlatchWithin } from './support/client.js';
import { hotp } from './support/counters.js';
import { Installation, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
const dir = mkdtempSync(join(tmpdir(), 'nlatch-'));
beforeAll(async () => {
  inst = await Installation.start(1);
});
afterAll(async () => {
  await inst.stop();
  rmSync(dir, { recursive: true, force: true });
});

/** Runs the client as a script would: no terminal, an access token from the environment. */
const nlatch = async (args: string[], input = '') =>
  await nlatchWithin(args, {
    env: { PATH: process.env['PATH']!, HOME: dir, NLATCH_TOKEN: inst.ownerToken, NLATCH_SERVER: inst.url, TZ: 'UTC' },
    input,
  });
const file = (name: string, text: string) => {
  writeFileSync(join(dir, name), text);
  return join(dir, name);
};
const hex = (serial: string) => Buffer.from(`secret of ${serial}`.padEnd(20, '.')).toString('hex');

describe('a box of tokens at the command line', () => {
  it('is shown as it will be read, by the words that are shown; what a dry run found can be read for an hour', async () => {
    const box = file(
      'box.csv',
      `Nummer;Saat;Bauart;Regal\nF-1001;${hex('F-1001')};Fob 2;4\nF-1002;${hex('F-1002')};Fob 2;4\n`,
    );
    const dry = await nlatch([
      'import',
      'tokens',
      box,
      '--dry-run',
      '--column',
      'Bauart=Modell',
      '--column',
      'Saat=secret',
      '--kind',
      'hotp',
    ]);
    expect(dry.code).toBe(0);
    expect(dry.err).toMatch(/Bauart +model +Fob 2 · Fob 2\n/);
    expect(dry.err).toMatch(/Regal +not used +4 · 4\n/);
    expect(dry.out).toContain(
      '2 tokens that count: 6 digits, SHA1, next counter 0 (not said, so assumed: hash algorithm, digits of a code)\nnone has a clock\n',
    );
    expect(dry.out).toContain('Not used, so what stands in them is dropped: Regal\n');
    expect(dry.out).toMatch(/2 +new +F-1001 +kind \+ hotp, SHA1, 6; next counter \+ 0; model \+ Fob 2\n/);
    expect(dry.out).toContain('This adds 2 tokens to the stock.\nDry run: nothing was written.');
    const id = /nlatch import rows ([0-9a-f-]{36})/.exec(dry.out)![1]!;
    expect((await nlatch(['import', 'rows', id])).out).toContain('F-1002');
    // With a row that is refused nothing would happen, and that is said.
    const bad = file('bad.csv', `Serial;Seed\nF-1001;${hex('F-1001')}\nF-1003;zz\n`);
    const refused = await nlatch(['import', 'tokens', bad, '--dry-run']);
    expect(refused.out).toContain(
      'As it is, nothing would be written: 1 row is refused. With --skip-bad: This adds 1 token to the stock.',
    );
    const wrong = await nlatch(['import', 'tokens', box, '--column', 'Regal=shelf']);
    expect(wrong).toMatchObject({ code: 2, err: expect.stringContaining('a column cannot mean "shelf"') as string });
    expect((await nlatch(['import', 'tokens', box, '--column', 'Saat=secret', '--kind', 'hotp', '--yes'])).out).toMatch(
      /Written:\nNEW +2\n/,
    );
    const second = await nlatch([
      'import',
      'tokens',
      file('digits.csv', 'Serial\nF-1001\nF-1002\n'),
      '--digits',
      '8',
      '--yes',
    ]);
    expect(second.out).toMatch(/CHANGED +2\n/);
    expect((await nlatch(['stock', 'show', 'F-1001'])).out).toMatch(/KIND +hotp, 8, SHA1\nNEXT COUNTER +0\n/);
  });

  it('opens with a key in base64 too, and no sentence speaks of what travels beside the file', async () => {
    const csv = file('plain.csv', `Serial;Seed\nF-2001;${hex('F-2001')}\n`);
    const key = Buffer.alloc(16, 7);
    for (const typed of [key.toString('base64'), key.toString('hex').toUpperCase(), `0x${key.toString('hex')}`]) {
      const told = await nlatch(['import', 'tokens', csv, '--open-by', 'key'], `${typed}\n`);
      expect(told.err).toContain('error: only key containers are encrypted; this file is none\nwhere: --open-by\n');
    }
    const none = await nlatch(['import', 'tokens', csv, '--open-by', 'key'], 'no key at all\n');
    expect(none).toMatchObject({ code: 2, err: expect.stringContaining('that is no key of 16 to 64 bytes') as string });
    const signed = await nlatch(['import', 'tokens', csv, '--signer', csv]);
    expect(signed.err).toContain('where: --signer');
    expect(signed.err + none.err).not.toMatch(/header|nlatch-file/i);
  });

  it('is corrected by hand after it was shown what changes, and told apart by its maker', async () => {
    const correct = ['stock', 'correct', 'F-1001', '--counter', '40', '--expires', '2031-12-31'];
    const asked = await nlatch(correct);
    expect(asked).toMatchObject({ code: 2 });
    expect(asked.err).toMatch(/F-1001\nnext counter +0 → 40\ngood until +- → 2031-12-31\n/);
    expect((await nlatch([...correct, '-y'])).out).toBe('F-1001 is corrected; its story says what was before.\n');
    expect((await nlatch(correct)).out).toBe('F-1001 is so already; nothing was changed.\n');
    await nlatch([
      'import',
      'tokens',
      file('other.csv', `Serial;Seed;Manufacturer\nF-1001;${hex('other')};Gull wing\n`),
      '--yes',
    ]);
    const several = await nlatch(['stock', 'show', 'F-1001']);
    expect(several.err).toContain('several makers use the serial number F-1001; put the maker before it');
    expect((await nlatch(['stock', 'show', 'Gull Wing f1001'])).out).toMatch(/MAKER +Gull wing\n/);
  });

  it('asks for the second code where the first is right and does not tell where the token stands', async () => {
    const { id } = await personWithApp(inst.owner, 'fob.holder');
    await nlatch(['stock', 'add', 'F-3001', '--kind', 'hotp', '--encoding', 'hex'], `${hex('F-3001')}\n`);
    expect((await nlatch(['stock', 'assign', 'fob.holder', 'F-3001'])).code).toBe(0);
    const key = Buffer.from(hex('F-3001'), 'hex');
    const one = await nlatch(['stock', 'prove', 'F-3001'], `${hotp(key, 90)}\n`);
    expect(one.err).toContain('error: The code is right, but the token has gone on by 90 codes since.\n');
    expect(one.err).toContain('try:   Type two codes that it shows one after the other');
    const two = await nlatch(['stock', 'prove', 'F-3001', '--two'], `${hotp(key, 90)}\n${hotp(key, 91)}\n`);
    expect(two.out).toContain('F-3001 is proved');
    const { rows } = await inst.owner.call('stock.list', { query: { q: 'F-3001' } });
    expect(rows[0]).toMatchObject({ state: 'in-use', holder: { id } });
  });
});

describe('what is said and asked', () => {
  it('asks before what cannot be taken back, and does nothing where nothing would change', async () => {
    const lost = await nlatch(['stock', 'lost', 'F-3001']);
    expect(lost).toMatchObject({ code: 2 });
    expect(lost.err).toContain('F-3001 is noted as lost. It ends the authenticator of fob.holder');
    expect((await nlatch(['stock', 'show', 'F-3001'])).out).toMatch(/STATE +in use\n/);
    expect(await nlatch(['stock', 'retired', 'F-1002', '-y'])).toMatchObject({ err: '', out: 'F-1002 is retired.\n' });
    const changes = async () =>
      (await inst.owner.call('trail.list', { query: { action: 'methods.changed' } })).rows.length;
    await nlatch(['method', 'set', 'everybody', 'hotp', '--look-ahead', '20', '--yes']);
    const before = await changes();
    for (const args of [
      ['method', 'set', 'everybody', 'hotp'],
      ['method', 'set', 'everybody', 'hotp', '--look-ahead', '20', '--yes'],
    ])
      expect((await nlatch(args)).out).toBe('It is so already; nothing was changed.\n');
    const { rows, version } = await inst.owner.call('methods.show');
    await inst.owner.call('methods.edit', {
      body: { rows: rows.map(({ group, cells }) => ({ group, cells })), lockedOut: 0 },
      ifMatch: version,
    });
    expect(await changes()).toBe(before);
  });

  it('says with what somebody gets in, and what of theirs no rule takes', async () => {
    await publish(inst.owner, rulebookOf([CONSOLE], '{ ask for: [password + totp] }'));
    await inst.owner.call('applications.add', { body: { name: 'Berth Planner' } });
    const explain = async (name: string) => (await nlatch(['explain', name, '--at', 'Berth Planner'])).out;
    expect(await explain('fob.holder')).toContain('fob.holder gets in with password + totp.');
    const { version } = await inst.owner.call('rulebookDraft.show');
    const text = rulebookOf([CONSOLE], '{ ask for: ["webauthn(verified)"] }');
    await inst.owner.call('rulebookDraft.save', { body: { text }, ifMatch: version });
    expect((await nlatch(['explain', 'fob.holder', '--at', 'Berth Planner', '--draft'])).out).toMatch(
      /fob\.holder is (refused|told to enrol first): nothing on the keyring that this rule takes\./,
    );
    expect((await nlatch(['method', 'offered', 'fob.holder'])).out).toMatch(/webauthn +(yes|no) .*row \d+/);
  });

  it('tells failures in one form, for people and for programs, with the request where it is asked for', async () => {
    const json = async (args: string[]) => {
      const { err, code } = await nlatch([...args, '--json']);
      return { ...(JSON.parse(err) as { error: Record<string, unknown> }).error, exit: code };
    };
    expect(await json(['stock', 'show', '01a22f8e-42a9-7000-a85b-109c056523a2'])).toMatchObject({
      code: 'not-found',
      status: 404,
      requestId: expect.stringMatching(/\S{6,}/) as string,
      what: expect.any(String) as string,
      issues: [],
    });
    expect(await json(['stock', 'show', 'NOT-THERE'])).toMatchObject({
      code: 'client',
      status: null,
      try: 'nlatch stock list --serial NOT-',
    });
    const wrong = await json(['stock', 'add', '!!', '--encoding', 'hex']);
    expect(wrong).toMatchObject({ exit: 2 });
    const away = await nlatchWithin(['stock', 'counts', '--json'], {
      env: { PATH: process.env['PATH']!, HOME: dir, NLATCH_TOKEN: 'x', NLATCH_SERVER: 'http://127.0.0.1:1' },
      input: '',
    });
    expect(JSON.parse(away.err)).toMatchObject({ error: { code: 'unreachable', exit: away.code } });
  });

  it('has each entry of the trail to show, in full at a hundred columns, by person, actor, area, action and day', async () => {
    const list = await nlatch(['trail', 'list', '--area', 'token', '--limit', '5']);
    // What goes on from here is to be copied, and stands in one line.
    for (const line of list.out.split('\n')) expect(line.replace(/--cursor .*/, '').length).toBeLessThanOrEqual(100);
    expect(list.out.replace(/\s+/g, ' ')).toContain('retired a hardware token (F-1002)');
    const named = /^([0-9a-f]{4}\.\d+) .*F-1002/m.exec(list.out)?.[1] ?? /^([0-9a-f]{4}\.\d+)/m.exec(list.out)![1]!;
    const one = await nlatch(['trail', 'show', named]);
    expect(one.out).toMatch(/ACTION +token\.retired\n/);
    expect(one.out).toMatch(/serial +F-1002\n/);
    expect(one.out).toMatch(/BY +person Ines Marlow [0-9a-f-]{36}\n/);
    // That it was read stands on the trail as well.
    const { rows } = await inst.owner.call('trail.list', { query: { action: 'trail.read', limit: 2 } });
    expect(rows[0]!.details).toEqual({ rows: 1 });
    expect(await nlatch(['trail', 'show', 'ffff.999999999'])).toMatchObject({ code: 5 });
    expect(await nlatch(['trail', 'show', 'nonsense'])).toMatchObject({ code: 5 });
    expect(await nlatch(['trail', 'list', '--area', 'tokens'])).toMatchObject({ code: 2 });
    await expect(inst.owner.call('trail.list', { query: { area: 'tokens' as 'token' } })).rejects.toMatchObject({
      code: 'invalid-input',
    });
    const csv = await nlatch(['trail', 'list', '--area', 'token', '--all', '--csv']);
    expect(csv.out.split('\n')[0]).toBe('ENTRY,WHEN,WHAT,WHY,FROM');
    const day = new Date().toISOString().slice(0, 10);
    expect(
      (
        await nlatch([
          'trail',
          'list',
          '--since',
          `${day}T00:00Z`,
          '--actor',
          'ines.marlow',
          '--action',
          'token.retired',
        ])
      ).out,
    ).toContain('F-1002');
  });
});
