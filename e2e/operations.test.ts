import { spawn } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createClient } from '@nimble-latch/api/client';
import { SMTPServer } from 'smtp-server';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { MIGRATIONS } from '../packages/service/src/platform/db/migrations/index.js';
import { chore, NLATCHD, run } from '../scripts/lib/installation.mjs';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { afterWaiting } from './support/administrators.js';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

describe('the schema and the start', () => {
  it('migrates once though four processes try, again without harm, and says what is missing', async () => {
    const inst = await Installation.prepare({}, { processes: true });
    const env = await inst.environment();
    await inst.sql('DROP TABLE outbox, jobs');
    await inst.sql("DELETE FROM schema_migrations WHERE name >= '0024'");
    // One step was made and not recorded, as after a kill between the two writes.
    await inst.sql("DELETE FROM schema_migrations WHERE name = '0002-nodes'");
    const early = await run(NLATCHD, ['serve'], { env });
    expect(early).toMatchObject({ code: 1 });
    const missing = MIGRATIONS.filter(({ name }) => name >= '0024' || name === '0002-nodes').length;
    expect(early.err).toMatch(new RegExp(`${missing} steps behind[\\s\\S]*try: nlatchd migrate`));
    const all = await Promise.all([1, 2, 3, 4].map(() => run(NLATCHD, ['migrate'], { env })));
    expect(
      all.map((one) => one.code),
      all.map((one) => one.err).join(''),
    ).toEqual([0, 0, 0, 0]);
    expect(all.map((one) => one.out.trim()).sort()).toEqual([
      expect.stringContaining(`Applied ${missing} steps`),
      ...Array<string>(3).fill('The database is up to date.'),
    ]);
    await inst.sql("INSERT INTO schema_migrations VALUES ('9999-from-the-future', NOW(3))");
    expect((await run(NLATCHD, ['migrate'], { env })).err).toContain('9999-from-the-future');
    const [partitions] = await inst.sql<{ n: number }>(
      "SELECT COUNT(*) AS n FROM information_schema.partitions WHERE table_schema = DATABASE() AND table_name = 'sign_ins'",
    );
    expect(partitions!.n).toBe(5);
    await inst.stop();
  });

  it.each([
    [{ NLATCH_LISTEN: '0.0.0.0:8470' }, /passwords would travel in the clear/],
    [{ NLATCH_LISTEN: 'nonsense' }, /NLATCH_LISTEN: expected host:port/],
    [{ NLATCH_PUBLIC_URL: 'http://latch.wexmoor.example' }, /must begin with https/],
    [{ NLATCH_TLS_CERT_FILE: '/nowhere' }, /NLATCH_TLS_CERT_FILE: names a file that is not there/],
    [{ NLATCH_TRUSTED_PROXIES: '10.0.0.0/99' }, /expected addresses or ranges/],
    [{ NLATCH_MASTER_KEY_FILE: '' }, /NLATCH_MASTER_KEY_FILE/],
    [{ NLATCH_LISTNE: 'x' }, /NLATCH_LISTNE is not a setting/],
  ])('refuses %j and says why', async (more, message) => {
    const result = await run(NLATCHD, ['check'], {
      env: { PATH: process.env['PATH']!, NLATCH_MASTER_KEY_FILE: '/tmp/k', ...more },
    });
    expect(result.code).toBe(1);
    expect(result.err).toMatch(message);
  });
});

describe('the owner', () => {
  let inst: Installation;
  beforeAll(async () => {
    inst = await Installation.start(1, {}, { processes: true });
  });
  afterAll(() => inst.stop());

  it('came in by a link that works once; a lost owner comes back by a new one, and may then set a password', async () => {
    const open = createClient({ server: inst.url });
    const again = { secret: inst.setUpLink.split('#')[1]!, displayName: 'X', loginName: 'x', password: PASSWORD };
    await expect(open.call('links.setUp', { body: again })).rejects.toMatchObject({ code: 'link-spent' });
    const env = await inst.environment();
    expect((await run(NLATCHD, ['set-up-link'], { env })).err).toContain('has an owner');
    const link = (await chore(env, 'owner-link')).split('\n')[0]!;
    const secret = link.split('#')[1]!;
    expect(await open.call('links.inspect', { body: { secret } })).toMatchObject({
      kind: 'owner',
      displayName: 'Ines Marlow',
    });
    const tries = await Promise.all(
      [1, 2, 3].map(() =>
        fetch(`${inst.url}/api/v1/links/sign-in`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ secret }),
        }),
      ),
    );
    expect(tries.map((one) => one.status).sort()).toEqual([200, 410, 410]);
    const cookie = tries.find((one) => one.status === 200)!.headers.get('set-cookie')!;
    expect(cookie).toMatch(/^__Host-nlatch=[^;]+; Path=\/; Expires=[^;]+; HttpOnly; Secure; SameSite=Strict$/);
    const headers = { cookie: cookie.split(';')[0]!, 'content-type': 'application/json' };
    const session = (await (await fetch(`${inst.url}/api/v1/session`, { headers })).json()) as {
      csrf: string;
      passwordFree: boolean;
    };
    expect(session.passwordFree).toBe(true);
    const put = (extra: Record<string, string>) =>
      fetch(`${inst.url}/api/v1/session/password`, {
        method: 'PUT',
        headers: { ...headers, ...extra },
        body: JSON.stringify({ next: 'a new harbour password' }),
      });
    expect((await put({})).status).toBe(403);
    expect((await put({ 'x-nlatch-csrf': 'x'.repeat(43) })).status).toBe(403);
    expect((await put({ 'x-nlatch-csrf': session.csrf, origin: 'https://evil.example' })).status).toBe(403);
    expect((await put({ 'x-nlatch-csrf': session.csrf, 'sec-fetch-site': 'same-site' })).status).toBe(403);
    const changed = await put({ 'x-nlatch-csrf': session.csrf, origin: new URL(link).origin });
    expect(changed.status).toBe(403);
    const ok = await put({ 'x-nlatch-csrf': session.csrf });
    expect(ok.status).toBe(200);
    // The old session ended with the old password; a new cookie came instead.
    expect((await fetch(`${inst.url}/api/v1/session`, { headers })).status).toBe(401);
    expect(ok.headers.get('set-cookie')).toContain('__Host-nlatch=');
    // So did the access tokens.
    await expect(inst.owner.call('session.show')).rejects.toMatchObject({ code: 'not-signed-in' });
    await inst.renewOwner();
  });

  it('cannot be the last one to go, and signs in with a code as soon as there is an app', async () => {
    const me = await inst.owner.call('session.show');
    await expect(inst.owner.call('people.delete', { params: { id: me.person.id } })).rejects.toMatchObject({
      code: 'last-owner',
    });
    await expect(inst.owner.call('people.deactivate', { params: { id: me.person.id } })).rejects.toMatchObject({
      code: 'last-owner',
    });
    const outsider = await personWithApp(inst.owner, 'dagny.holm');
    const open = createClient({ server: inst.url });
    const begun = await open.call('console.begin', { body: { loginName: 'dagny.holm' } });
    const params = { id: begun.signIn.id };
    await expect(
      open.call('console.prove', { params, body: { handle: 'another', kind: 'password', value: PASSWORD } }),
    ).rejects.toMatchObject({ code: 'not-found' });
    const next = await open.call('console.prove', {
      params,
      body: { handle: begun.handle, kind: 'password', value: PASSWORD },
    });
    expect(next.signIn.prompt?.kind).toBe('code');
    await expect(
      open.call('console.prove', {
        params,
        body: { handle: begun.handle, kind: 'code', value: outsider.phone.next() },
      }),
    ).rejects.toMatchObject({ code: 'not-permitted' });
  });

  it('an access token ends when it is revoked', async () => {
    const { accessToken, token } = await inst.owner.call('accessTokens.add', { body: { label: 'script', hours: 1 } });
    const script = createClient({ server: inst.url, token });
    expect((await script.call('session.show')).by).toBe('access-token');
    await inst.owner.call('accessTokens.revoke', { params: { id: accessToken.id } });
    await expect(script.call('session.show')).rejects.toMatchObject({ code: 'not-signed-in' });
  });
});

describe('the trail', () => {
  it('verifies from the database and from an export, with keys and anchors kept elsewhere', async () => {
    const inst = await Installation.start(1, {}, { processes: true });
    const env = await inst.environment();
    for (let i = 0; i < 5; i++) await inst.owner.call('groups.add', { body: { name: `group ${i}` } });
    await inst.nodes[0]!.stop();
    const verify = async (...args: string[]) => await run(NLATCHD, ['trail', 'verify', ...args], { env });
    expect(await verify()).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^\d+ entries are as they were sealed, 0 wait for their seal, 0 findings/),
    });
    const files = {
      export: join(inst.dir, 'trail.ndjson'),
      keys: join(inst.dir, 'keys.json'),
      anchors: join(inst.dir, 'anchors.json'),
    };
    writeFileSync(files.anchors, await chore(env, 'trail', 'anchors'));
    writeFileSync(files.keys, await chore(env, 'trail', 'public-keys'));
    await chore(env, 'trail', 'export', files.export);
    expect((await verify('--file', files.export, '--public-keys', files.keys)).code).toBe(0);
    const [row] = await inst.sql<{ writer: Buffer; number: number }>(
      "SELECT writer, number FROM trail_entries WHERE action = 'group.added' ORDER BY number LIMIT 1",
    );
    const at = [row!.writer, row!.number];
    const tampering: [string, string, RegExp][] = [
      [
        "UPDATE trail_entries SET origin = '6.6.6.6' WHERE writer = ? AND number = ?",
        "UPDATE trail_entries SET origin = '127.0.0.1' WHERE writer = ? AND number = ?",
        /entries-differ/,
      ],
      [
        'UPDATE trail_entries SET number = number + 1000 WHERE writer = ? AND number = ?',
        'UPDATE trail_entries SET number = number - 1000 WHERE writer = ? AND number = ? + 1000',
        /entries-differ/,
      ],
    ];
    for (const [tamper, mend, found] of tampering) {
      await inst.sql(tamper, at);
      expect(await verify()).toMatchObject({ code: 1, out: expect.stringMatching(found) });
      await inst.sql(mend, at);
      expect((await verify()).code).toBe(0);
    }
    await inst.sql('DELETE FROM trail_seals WHERE writer = ?', [row!.writer]);
    await inst.sql('DELETE FROM trail_entries WHERE writer = ?', [row!.writer]);
    expect((await verify('--anchors', files.anchors)).out).toMatch(/chain-cut-short/);
    await inst.stop({ tampered: true });
  });

  it('a killed node leaves nothing unsealed for long: another takes its entries up', async () => {
    const inst = await Installation.start(2, {}, { processes: true });
    await inst.owner.call('groups.add', { body: { name: 'last words' } });
    await inst.nodes[0]!.stop('SIGKILL');
    await inst.sql(
      'UPDATE nodes SET seen_at = seen_at - INTERVAL 2 MINUTE WHERE id IN (SELECT writer FROM trail_entries)',
    );
    // The adopting loop runs every half minute; a node that starts does so at once.
    const third = await inst.startNode();
    await expect.poll(async () => (await third.owner.call('system.show')).trail.unsealed, { timeout: 30_000 }).toBe(0);
    await inst.stop();
  });
});

describe('keys', () => {
  it('rotate while two nodes run: everything old still opens, and old keys retire', async () => {
    const inst = await Installation.start(2, {}, { processes: true });
    const env = await inst.environment();
    const person = await inst.owner.call('people.add', {
      body: { displayName: 'Aurel', loginNames: ['aurel'], mail: 'aurel@wexmoor.example' },
    });
    const { phone } = await personWithApp(inst.owner, 'sunniva.aske');
    const vpn = await connectedApplication(inst.owner, 'VPN', { claims: ['password-checked'] });
    const before = await inst.sql<{ k: string }>(
      'SELECT DISTINCT HEX(SUBSTRING(secret_sealed, 2, 16)) AS k FROM authenticators',
    );
    for (const purpose of ['seed', 'contact', 'index', 'verify', 'trail']) await chore(env, 'keys', 'rotate', purpose);
    for (const node of inst.nodes) {
      expect((await node.owner.call('people.show', { params: { id: person.id } })).mail).toBe('aurel@wexmoor.example');
      const app = createClient({ server: node.url, token: vpn.key });
      const { id } = await app.call('signIns.begin', {
        body: { loginName: 'sunniva.aske', claims: { passwordChecked: true } },
      });
      expect(
        (await app.call('signIns.prove', { params: { id }, body: { kind: 'code', value: phone.next() } })).state,
      ).toBe('let-in');
    }
    await expect
      .poll(async () => (await inst.owner.call('system.show')).jobs.find((job) => job.kind === 'rekey')?.state, {
        timeout: 60_000,
        interval: 500,
      })
      .toBe('done');
    const after = await inst.sql<{ k: string }>(
      'SELECT DISTINCT HEX(SUBSTRING(secret_sealed, 2, 16)) AS k FROM authenticators',
    );
    expect(after).toHaveLength(1);
    expect(after).not.toEqual(before);
    const { keys } = await inst.owner.call('system.show');
    const stateOf = (purpose: string) =>
      keys
        .filter((one) => one.purpose === purpose)
        .map((one) => one.state)
        .sort();
    expect(stateOf('seed')).toEqual(['active', 'retired']);
    // The access token that is used here was hashed with the old key, which therefore stays.
    expect(stateOf('verify')).toEqual(['active', 'reading']);
    expect((await run(NLATCHD, ['trail', 'verify'], { env })).code).toBe(0);
    await inst.stop();
  });
});

describe('what is sent outward', () => {
  it('goes through the outbox: a person hears of a new authenticator, once the mail server is back', async () => {
    const port = await freePort();
    const inst = await Installation.start(1, {
      NLATCH_SMTP_URL: `smtp://127.0.0.1:${port}`,
      NLATCH_MAIL_FROM: 'latch@wexmoor.example',
    });
    const person = await inst.owner.call('people.add', {
      body: { displayName: 'Philippa Starling', loginNames: ['philippa'], mail: 'philippa@wexmoor.example' },
    });
    await inst.owner.call('people.setPassword', { params: { id: person.id }, body: { password: PASSWORD } });
    await expect
      .poll(async () => (await inst.sql<{ attempts: number }>('SELECT attempts FROM outbox'))[0]?.attempts, {
        timeout: 30_000,
      })
      .toBe(1);
    const [sealed] = await inst.sql<{ n: number }>("SELECT COUNT(*) AS n FROM outbox WHERE sealed LIKE '%philippa%'");
    expect(sealed!.n).toBe(0);
    const mails: string[] = [];
    const smtp = new SMTPServer({
      authOptional: true,
      disabledCommands: ['STARTTLS', 'AUTH'],
      onData: (stream, _, done) => stream.on('data', (part: Buffer) => mails.push(part.toString())).on('end', done),
    });
    await new Promise<void>((resolve) => smtp.listen(port, '127.0.0.1', () => resolve()));
    await expect
      .poll(() => mails.join(''), { timeout: 30_000 })
      .toMatch(/To: philippa@wexmoor\.example[\s\S]*Dear Philippa Starling,[\s\S]*your password was changed/);
    // An emergency account that is used: every owner hears of it, and it stands in the overview until somebody says why.
    const mark = async () =>
      await inst.owner.call('people.markEmergency', { params: { id: person.id }, body: { emergency: true } });
    await afterWaiting(inst, mark);
    const { person: ines } = await inst.owner.call('session.show');
    const owner = await inst.owner.call('people.show', { params: { id: ines.id } });
    await inst.owner.call('people.edit', {
      params: { id: owner.id },
      body: { mail: 'ines@wexmoor.example', language: 'de' },
      ifMatch: owner.version,
    });
    await publish(inst.owner, rulebookOf([CONSOLE, '{ rule: All, then: let in }']));
    const app = await connectedApplication(inst.owner, 'Vessel Traffic');
    const client = inst.client(inst.url, app.key);
    const letIn = async () => {
      const { id } = await client.call('signIns.begin', { body: { loginName: 'philippa' } });
      const body = { kind: 'password' as const, value: PASSWORD };
      await expect
        .poll(async () => (await client.call('signIns.prove', { params: { id }, body })).state, { timeout: 30_000 })
        .toBe('let-in');
      return id;
    };
    mails.length = 0;
    const used = await letIn();
    await expect
      .poll(() => mails.join('').replace(/=\r\n/g, ''), { timeout: 30_000 })
      .toMatch(/To: ines@wexmoor\.example[\s\S]*Philippa Starling wurde bei Vessel Traffic eingelassen/);
    const hands = async () => (await inst.owner.call('overview.show')).needsHand;
    expect(await hands()).toMatchObject([{ why: 'emergency-used', signIn: used, person: { id: person.id } }]);
    const { rows } = await inst.owner.call('trail.list', { query: { action: 'emergency-account.used' } });
    expect(rows).toMatchObject([{ person: { id: person.id }, details: { signIn: used } }]);
    await inst.owner.call('activity.judge', { params: { id: used }, body: { verdict: 'dismissed' } });
    expect(await hands()).toEqual([]);
    await new Promise<void>((resolve) => smtp.close(() => resolve()));
    await inst.stop();
  });
});

describe('killed', () => {
  it('in the middle of work, it loses nothing that it acknowledged and starts again whole', async () => {
    const inst = await Installation.start(1, {}, { processes: true });
    const acknowledged: string[] = [];
    const load = Promise.allSettled(
      Array.from({ length: 6 }, async (_, lane) => {
        for (let i = 0; ; i++) {
          const name = `load-${lane}-${i}`;
          await inst.owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
          acknowledged.push(name);
        }
      }),
    );
    await expect.poll(() => acknowledged.length, { interval: 20, timeout: 30_000 }).toBeGreaterThan(40);
    await inst.nodes[0]!.stop('SIGKILL');
    await load;
    const node = await inst.startNode();
    const names = new Set((await inst.sql<{ value: string }>('SELECT value FROM login_names')).map((row) => row.value));
    expect(acknowledged.filter((name) => !names.has(name))).toEqual([]);
    // Nobody without a login name, no login name without its trail entry.
    const [half] = await inst.sql<{ n: number }>(
      "SELECT COUNT(*) AS n FROM persons p WHERE NOT EXISTS (SELECT 1 FROM login_names l WHERE l.person_id = p.id) OR NOT EXISTS (SELECT 1 FROM trail_entries t WHERE t.person_id = p.id AND t.action = 'person.added')",
    );
    expect(half!.n).toBe(0);
    expect((await node.owner.call('session.show')).person.displayName).toBe('Ines Marlow');
    await inst.stop();
  });
});

describe('TLS', () => {
  it('is spoken by the service itself, beyond loopback too', async () => {
    const inst = await Installation.prepare({}, { processes: true });
    const env = await inst.environment();
    const cert = join(inst.dir, 'cert.pem');
    const keyFile = join(inst.dir, 'key.pem');
    const made = spawn('openssl', [
      'req',
      '-x509',
      '-newkey',
      'ec',
      '-pkeyopt',
      'ec_paramgen_curve:prime256v1',
      '-nodes',
      '-days',
      '2',
      '-subj',
      '/CN=localhost',
      '-addext',
      'subjectAltName=DNS:localhost',
      '-keyout',
      keyFile,
      '-out',
      cert,
    ]);
    expect(await new Promise((resolve) => made.once('close', resolve))).toBe(0);
    const port = Number(env['NLATCH_LISTEN']!.split(':')[1]);
    const child = spawn(process.execPath, [NLATCHD, 'serve'], {
      env: {
        ...env,
        NLATCH_LISTEN: `0.0.0.0:${port}`,
        NLATCH_PUBLIC_URL: `https://localhost:${port}`,
        NLATCH_TLS_CERT_FILE: cert,
        NLATCH_TLS_KEY_FILE: keyFile,
      },
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    await new Promise<void>((resolve) =>
      child.stderr.on('data', (data: Buffer) => String(data).includes('listens') && resolve()),
    );
    const program = `const r = await fetch('https://localhost:${port}/health/ready'); console.log(r.status, r.headers.get('strict-transport-security'), (await fetch('https://localhost:${port}/')).headers.get('content-type'))`;
    const asked = spawn(process.execPath, ['--input-type=module', '-e', program], {
      env: { ...process.env, NODE_EXTRA_CA_CERTS: cert },
    });
    let said = '';
    asked.stdout.on('data', (data) => (said += String(data)));
    await new Promise((resolve) => asked.once('close', resolve));
    expect(said).toMatch(/^200 max-age=31536000/);
    child.kill('SIGTERM');
    await new Promise((resolve) => child.once('close', resolve));
    await inst.stop();
  });
});
