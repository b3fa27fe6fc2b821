import { execFile } from 'node:child_process';
import { chmodSync, existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { ERRORS } from '@nimble-latch/api';
import jsQR from 'jsqr';
import { PNG } from 'pngjs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { NLATCH, run, STANDIN } from '../scripts/lib/installation.mjs';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';

let inst: Installation;
let configDir: string;
beforeAll(async () => {
  inst = await Installation.start();
  configDir = join(inst.dir, 'cli');
});
afterAll(() => inst.stop());

const env = () => ({ PATH: process.env['PATH']!, HOME: inst.dir, NLATCH_CONFIG_DIR: configDir, TZ: 'UTC' });
/** Runs the client as a user's script would: no terminal, answers a line each on standard input. */
const nlatch = (args: string[], input = '', more: Record<string, string> = {}) =>
  run(NLATCH, args, { env: { ...env(), ...more }, input });

describe('nlatch', () => {
  it('signs in with a password, keeps the token where only its owner can read it, and ends it', async () => {
    expect(await nlatch(['whoami'])).toMatchObject({
      code: 3,
      err: expect.stringMatching(/^error: it is not said which service to talk to\ntry: {3}nlatch login/),
    });
    expect(await nlatch(['login', 'ines.marlow', '--server', inst.url], 'a wrong password\n')).toMatchObject({
      code: 2,
      err: expect.stringContaining('the proof was not right'),
    });
    const login = await nlatch(['login', 'ines.marlow', '--server', inst.url], `${PASSWORD}\n`);
    expect(login).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^Signed in at http:\S+ as Ines Marlow; the access token is good until/),
    });
    const file = join(configDir, 'access.json');
    expect(statSync(file).mode & 0o777).toBe(0o600);
    expect((await nlatch(['whoami'])).out).toMatch(/Ines Marlow +ines\.marlow\nRoles +owner/);
    chmodSync(file, 0o644);
    expect(await nlatch(['whoami'])).toMatchObject({ code: 3, err: expect.stringContaining(`chmod 600 ${file}`) });
    chmodSync(file, 0o600);
    // A kept token goes to no other server.
    expect((await nlatch(['whoami', '--server', 'http://localhost:9'])).err).toContain('no access token');
    expect(
      (await nlatch(['whoami'], '', { NLATCH_TOKEN: inst.ownerToken, NLATCH_SERVER: 'http://localhost:9' })).code,
    ).toBe(7);
  });

  it('does the first day of an administrator, from a person to a walk-through with the stand-in phone', async () => {
    expect(
      (
        await nlatch([
          'person',
          'add',
          'Bram Oster',
          '--login',
          'bram.oster',
          '--login',
          'WEX\\BOster',
          '--mail',
          'bram@wexmoor.example',
        ])
      ).out,
    ).toBe('Added Bram Oster, known as bram.oster, wex\\boster.\n');
    expect((await nlatch(['group', 'add', 'quay-crew', '--description', 'Quay and cranes'])).code).toBe(0);
    expect((await nlatch(['group', 'join', 'quay-crew', 'bram.oster'])).out).toBe('Bram Oster is in quay-crew.\n');
    expect((await nlatch(['person', 'set-password', 'wex\\boster'], `${PASSWORD}\n`)).out).toBe(
      'Set the password of Bram Oster.\n',
    );
    const qr = join(inst.dir, 'bram.png');
    const begun = await nlatch([
      'keyring',
      'enrol-totp',
      'bram.oster',
      '--carrier',
      'Bram’s phone',
      '--qr',
      qr,
      '--later',
    ]);
    expect(begun.out).toMatch(
      /Enrolling Authenticator app for Bram Oster on Bram’s phone; waiting for its first code\.[\s\S]*█[\s\S]*Or type the key:\n {2}([A-Z2-7]{4} ){7}[A-Z2-7]{4}\n {2}SHA1, 6 digits, every 30 s/,
    );
    const png = PNG.sync.read(readFileSync(qr));
    const uri = jsQR(new Uint8ClampedArray(png.data), png.width, png.height)!.data;
    expect(uri).toMatch(/^otpauth:\/\/totp\/Nimble%20Latch:bram\.oster\?secret=/);
    expect((await nlatch(['keyring', 'enrol-totp', 'bram.oster', '--qr', qr, '--later'])).err).toContain(
      'the file is there already',
    );
    const phone = async (off = 0) =>
      (await run(STANDIN, ['phone', 'code', '--off', String(off)], { env: env(), input: uri })).out.trim();
    const id = /nlatch keyring prove (\S+)/.exec(begun.out)![1]!;
    expect(await nlatch(['keyring', 'prove', id], `${await phone(600)}\n`)).toMatchObject({
      code: 9,
      // A time step may turn between making the code and checking it.
      err: expect.stringMatching(/the clock of the device is (10 min 0|9 min 30) s ahead/),
    });
    expect((await nlatch(['keyring', 'prove', id], `${await phone()}\n`)).out).toBe(
      'Enrolled Authenticator app; it is active.\n',
    );
    expect((await nlatch(['keyring', 'edit-carrier', 'bram.oster', 'Bram’s phone', '--serial', 'WX-0042 1'])).out).toBe(
      'The carrier is now: Bram’s phone, WX-0042 1.\n',
    );
    expect((await nlatch(['keyring', 'edit-carrier', 'bram.oster', 'his watch', '--no-serial'])).err).toContain(
      'expected one carrier of theirs: ',
    );
    expect((await nlatch(['person', 'list', '--find', 'wx00421'])).out).toContain('Bram Oster');
    expect((await nlatch(['application', 'add', 'Berth Planner'])).code).toBe(0);
    expect((await nlatch(['application', 'connect', 'berth planner', '--claims', 'source-address'])).out).toMatch(
      /This key is shown once:\n {2}nlk_/,
    );
    const code = await phone(30);
    const walk = await nlatch(['walk-through', 'bram.oster', '--at', 'Berth Planner'], `${PASSWORD}\n${code}\n`);
    expect(walk).toMatchObject({
      code: 0,
      out: expect.stringMatching(
        /Asks for: Password\nAsks for: Code\nLet in: password \+ totp\n[\s\S]*password: right[\s\S]*code from an app: right[\s\S]*all proofs were right/,
      ),
    });
    const used = await nlatch(
      ['walk-through', 'bram.oster', '--at', 'Berth Planner', '--password-checked'],
      `${code}\n`,
    );
    expect(used).toMatchObject({ code: 2, out: expect.stringContaining('this code, or a later one, was used before') });
    const activity = await nlatch(['activity', 'list', '--person', 'bram.oster']);
    expect(activity.out).toMatch(
      /^WHEN +WHO +AT +OUTCOME +WHY +FROM +ID\n[\s\S]*let in \(by hand\) +password \+ totp/m,
    );
    expect((await nlatch(['trail', 'list', '--area', 'application'])).out).toMatch(
      /Ines Marlow registered Berth Planner/,
    );
    expect((await nlatch(['overview'])).out).toMatch(
      /^People +2\n {2}phishing-resistant +0\n {2}two factors +1\n {2}only weak +1\n/,
    );
    for (const line of activity.out.split('\n')) expect(line.length).toBeLessThanOrEqual(100);
  });

  it('solves a phone left at home: a pass is given, shown once, used, listed and withdrawn', async () => {
    await nlatch(['person', 'add', 'Nell Harrow', '--login', 'nell.harrow']);
    await nlatch(['person', 'set-password', 'nell.harrow'], `${PASSWORD}\n`);
    expect(await nlatch(['pass', 'give', 'nell.harrow'])).toMatchObject({
      code: 2,
      err: expect.stringContaining("required option '--why <text>'") as string,
    });
    for (const [flag, value, said] of [
      ['--until', 'tomorrow', 'expected a moment such as'],
      ['--hours', '9999', 'at most 744'],
      ['--hours', '200', 'you may give a pass for 168 hours at most'],
      ['--uses', '51', 'you may give a pass for 50 uses at most'],
      ['--at', 'Nowhere', 'there is no application Nowhere'],
      ['--for', 'reset', 'Allowed choices are sign-in, enrol, both'],
    ] as const) {
      const refused = await nlatch(['pass', 'give', 'nell.harrow', '--why', 'phone at home', flag, value]);
      expect(refused.code, flag).not.toBe(0);
      expect(refused.err, flag).toContain(said);
      expect(refused.out, flag).toBe('');
    }
    const given = await nlatch(['pass', 'give', 'nell.harrow', '--why', 'phone at home', '--hours', '4']);
    expect(given).toMatchObject({
      code: 0,
      out: expect.stringMatching(
        /^A temporary pass for Nell Harrow, signing in, from now until .*, for 5 uses\. It is shown this once:\n\n {2}([A-Z]{4}-){3}[A-Z]{4}\n\nRead aloud:\n( {2}(\w[\w-]* ?){4}\n){4}\n[\s\S]*With it they get in at: .*Berth Planner/,
      ) as string,
    });
    const code = /([A-Z]{4}-){3}[A-Z]{4}/.exec(given.out)![0];
    const walk = await nlatch(
      ['walk-through', 'nell.harrow', '--at', 'Berth Planner'],
      `${PASSWORD}\n${code.toLowerCase()}\n`,
    );
    expect(walk).toMatchObject({ code: 0, out: expect.stringContaining('Let in: password + pass') as string });
    const listed = await nlatch(['pass', 'list', '--of', 'nell.harrow']);
    expect(listed.out).toMatch(/^WHO +STATE +ENDS +WHY +ID\nNell Harrow +open, signing[\s\S]*used 1 of[\s\S]*5/);
    for (const line of listed.out.split('\n')) expect(line.length).toBeLessThanOrEqual(100);
    const { rows } = JSON.parse((await nlatch(['pass', 'list', '--json'])).out) as { rows: { id: string }[] };
    expect(rows).toHaveLength(1);
    expect(JSON.stringify(rows)).not.toContain(code);

    const ahead = await nlatch([
      'pass',
      'give',
      'nell.harrow',
      '--why',
      'new laptop',
      '--from',
      '2d',
      '--for',
      'enrol',
    ]);
    expect(ahead.out).toMatch(/enrolling, from .* until /);
    // What waits is of no use yet, so nothing is said of where it would be.
    expect(ahead.out).not.toContain('get in at');
    expect((await nlatch(['pass', 'list', '--state', 'waiting'])).out).toMatch(
      /Nell Harrow +waiting, enrolling, used 0 of +begins/,
    );
    expect((await nlatch(['pass', 'bounds'])).out).toMatch(
      /hours that a pass lives +168 +-\n[\s\S]*have not ended +200 +2\n/,
    );

    const withdraw = ['pass', 'withdraw', rows[0]!.id];
    expect(await nlatch(withdraw)).toMatchObject({
      code: 2,
      err: expect.stringContaining('used 1 of 5 times. All sessions of Nell Harrow end with it.') as string,
    });
    expect((await nlatch([...withdraw, '--yes'])).out).toBe('The pass of Nell Harrow has ended.\n');
    expect(await nlatch([...withdraw, '-y'])).toMatchObject({ code: 6 });
    expect((await nlatch(['pass', 'list', '--state', 'ended'])).out).toMatch(/Nell Harrow +withdrawn,/);
    expect((await nlatch(['trail', 'list', '--area', 'pass'])).out).toMatch(
      /Ines Marlow withdrew a temporary pass of Nell Harrow[\s\S]*Ines Marlow gave Nell Harrow a temporary pass +phone at home/,
    );

    const sheet = await nlatch(['keyring', 'recovery', 'nell.harrow', '-y']);
    expect(sheet.out).toMatch(/^Recovery codes for Nell Harrow[\s\S]*\n( {2,3}\d+ {2}([A-Z]{4}-){2}[A-Z]{4}\n){10}/);
    expect((await nlatch(['keyring', 'show', 'nell.harrow'])).out).toMatch(/Paper +recovery/);
  });

  it('filters, counts and gives lists away as CSV that no spreadsheet takes for formulas', async () => {
    const names = ['=cmd|" /C calc"!A0', '@SUM(1)', 'Ordinary, "quoted" Name'];
    for (const [i, displayName] of names.entries())
      await inst.owner.call('people.add', { body: { displayName, loginNames: [`csv-${i}`] } });
    const csv = (await nlatch(['person', 'list', '--find', 'csv-', '--csv'])).out;
    const [heading, ...lines] = csv.trimEnd().split('\r\n');
    expect(heading).toBe('id,name,loginNames,groups,state,roles,source,coverage,methods,serials,lastSeenAt');
    expect(lines.map((line) => line.slice(37).replace(/,csv-\d.*$/, ''))).toEqual([
      `"'=cmd|"" /C calc""!A0"`,
      "'@SUM(1)",
      '"Ordinary, ""quoted"" Name"',
    ]);
    expect((await nlatch(['person', 'list', '--find', 'csv-', '--coverage', 'nothing', '--count'])).out).toBe('3\n');
    expect((await nlatch(['person', 'list', '--find', 'csv-', '--holds', 'totp', '--count'])).out).toBe('0\n');
    expect((await nlatch(['person', 'list', '--coverage', 'all', '--count'])).err).toMatch(
      /nothing, weak, two-factors/,
    );
  });

  it('tells who may do what, and gives a role once another administrator has agreed', async () => {
    expect((await nlatch(['role', 'table'])).out).toMatch(
      /^MAY +OWNER +RULEBOOK-EDITOR +CUSTODIAN +HELP-DESK +AUDITOR\n/,
    );
    const give = ['role', 'give', 'bram.oster', 'help-desk', '--within', 'quay-crew'];
    const asked = await nlatch(give);
    expect(asked).toMatchObject({
      code: 9,
      err: expect.stringContaining('This needs the yes of a second administrator'),
    });
    const id = /request (\S{36})/.exec(asked.err)![1]!;
    // A list prints as much of an id as tells it from the others, and that is taken as the whole.
    const short = id.slice(0, 13);
    expect((await nlatch(['countersign', 'list'])).out).toContain(`${short}  `);
    expect((await nlatch(['countersign', 'show', short])).out).toContain(id);
    expect(await nlatch(['countersign', 'give', id, '--yes'])).toMatchObject({
      code: 4,
      err: expect.stringContaining('not yours to give'),
    });
    expect((await nlatch(['countersign', 'show', id])).out).toMatch(
      /Bram Oster gets the role help desk, for people in “quay-crew”\.[\s\S]*nobody else could sign; do it again from/,
    );
    await inst.sql('UPDATE signature_requests SET asked_at = asked_at - INTERVAL 61 MINUTE');
    expect((await nlatch(give)).out).toBe('Bram Oster has the role help-desk now, for people in quay-crew.\n');
    expect((await nlatch(['role', 'holders'])).out).toMatch(/Bram Oster +help-desk +quay-crew/);
    expect((await nlatch(['role', 'take', 'bram.oster', 'help-desk'])).code).toBe(9);
    await inst.sql('UPDATE signature_requests SET asked_at = asked_at - INTERVAL 61 MINUTE');
    expect((await nlatch(['role', 'take', 'bram.oster', 'help-desk'])).out).toBe(
      'Bram Oster no longer has the role help-desk.\n',
    );
  });

  it('pages and prints JSON that is the answer of the service', async () => {
    for (const name of ['a-one', 'a-two', 'a-three'])
      await inst.owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
    const first = JSON.parse((await nlatch(['person', 'list', '--find', 'a-', '--limit', '2', '--json'])).out) as {
      rows: unknown[];
      next: string;
    };
    expect(first).toEqual(await inst.owner.call('people.list', { query: { q: 'a-', limit: 2 } }));
    expect((await nlatch(['person', 'list', '--find', 'a-', '--limit', '2', '--cursor', first.next])).out).toMatch(
      /a-two/,
    );
  });

  it.each([
    [
      ['person', 'show', 'nobody.here'],
      5,
      /error: nobody has the login name nobody\.here\ntry: {3}nlatch person list --find nobody/,
    ],
    [
      ['person', 'add', 'X', '--login', 'bram.oster'],
      6,
      /error: The login name bram\.oster belongs to somebody already/,
    ],
    [['person', 'add', 'X', '--login', 'a b'], 2, /error: must not contain spaces[^\n]*\nwhere: loginNames\[0\]/],
    [['person', 'add', 'X'], 2, /error: required option '--login <login-name>'/],
    [['person', 'lst'], 2, /error: unknown command 'lst'\n\(Did you mean list\?\)\ntry: {3}nlatch person --help/],
    [['settings', 'set', 'totp.digits=7'], 2, /error: expected one of 6, 8\nwhere: totp\.digits/],
    [['settings', 'set', 'totp.nonsense=7'], 2, /where: totp\.nonsense\ntry: {3}nlatch settings show/],
    [
      ['person', 'delete', 'bram.oster'],
      2,
      /Deletes Bram Oster \(bram\.oster, wex\\boster\) with \d authenticators and 1 membership\.[\s\S]*try: {3}add --yes/,
    ],
    [['person', 'set-password', 'bram.oster'], 2, /an answer is needed \(New password\), and the input has ended/],
    [['application', 'connect', 'Berth Planner', '--scopes', 'everything'], 2, /expected some of check, challenge/],
    [['activity', 'list', '--since', 'yesterday-ish'], 2, /expected a moment such as/],
    [['trail', 'list', '--cursor', 'AAAA'], 2, /where: cursor/],
  ])('%j ends with %i and says what, where, what to try', async (args, code, message) => {
    const result = await nlatch(args);
    expect(result.err).toMatch(message);
    expect(result.code).toBe(code);
  });

  it('deletes when told to, undoes a deactivation, and revokes with the consequence named', async () => {
    const { authenticator } = await personWithApp(inst.owner, 'lowenna.trew');
    expect((await nlatch(['keyring', 'revoke', 'lowenna.trew', authenticator])).err).toContain(
      'Nothing will be left to prove with beside a password.',
    );
    expect((await nlatch(['keyring', 'revoke', 'lowenna.trew', authenticator, '--yes'])).out).toBe(
      'Authenticator app is revoked.\n',
    );
    const off = await nlatch(['person', 'deactivate', 'lowenna.trew', '--yes']);
    const undo = /Undo: nlatch (.*)/.exec(off.out)![1]!;
    expect((await nlatch(undo.split(' '))).out).toBe('lowenna.trew can sign in again.\n');
    expect((await nlatch(['person', 'delete', 'lowenna.trew', '--yes'])).code).toBe(0);
    expect((await nlatch(['person', 'show', 'lowenna.trew'])).code).toBe(5);
  });

  it('sends nothing to the terminal that others typed as control characters, and prints completions', async () => {
    const app = await connectedApplication(inst.owner, 'Tricky');
    await fetch(`${inst.url}/api/v1/sign-ins`, {
      method: 'POST',
      headers: { authorization: `Bearer ${app.key}`, 'content-type': 'application/json' },
      body: JSON.stringify({ loginName: '\u001b[31mred' }),
    });
    expect((await nlatch(['activity', 'list'])).out).not.toContain('\u001b');
    for (const shell of ['bash', 'zsh', 'fish'])
      expect((await nlatch(['completion', shell])).out).toContain('nlatch completion answer --');
    const file = join(inst.dir, 'completion.bash');
    writeFileSync(file, (await nlatch(['completion', 'bash'])).out);
    const bin = join(inst.dir, 'nlatch');
    writeFileSync(bin, `#!/bin/sh\nexec '${process.execPath}' '${NLATCH}' "$@"\n`, { mode: 0o755 });
    /** What a shell offers for a line, where a person would press the key. */
    const offered = async (...line: string[]) => {
      const [words, at] = [line.map((word) => `'${word}'`).join(' '), line.length];
      const script = `source '${file}'; COMP_WORDS=(nlatch ${words}); COMP_CWORD=${at}; _nlatch; printf '%s\\n' "\${COMPREPLY[@]}"`;
      const { stdout } = await promisify(execFile)('bash', ['-c', script], {
        env: { ...env(), PATH: `${inst.dir}:${process.env['PATH']}` },
      });
      return stdout.trim().split('\n');
    };
    expect(await offered('keyring', 'enrol-t')).toEqual(['enrol-totp']);
    expect(await offered('activity', 'list', '--state', 'asking')).toEqual(['asking']);
    expect(await offered('person', 'show', 'ines')).toEqual(['ines.marlow']);
    expect(await offered('application', 'show', 'Tri')).toEqual(['Tricky']);
    expect((await nlatch(['logout'])).code).toBe(0);
    expect(existsSync(join(configDir, 'access.json'))).toBe(false);
    expect(new Set(Object.values(ERRORS).map((one) => one.exit)).size).toBeGreaterThan(7);
  });
});
