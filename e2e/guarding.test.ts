import { existsSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { chore, NLATCHD, run } from '../scripts/lib/installation.mjs';
import { afterWaiting } from './support/administrators.js';
import { connectedApplication, Installation, PASSWORD, personWithApp, type Node } from './support/installation.js';

let inst: Installation;
let direct: Node;
let proxied: Node;
beforeAll(async () => {
  inst = await Installation.start();
  direct = inst.nodes[0]!;
  // Everything on this machine counts as a proxy in front; its word on addresses is taken.
  proxied = await inst.startNode({ NLATCH_TRUSTED_PROXIES: '127.0.0.0/8' });
});
afterAll(async () => await inst.stop());

/** Signs Ines Marlow in to the console of a node; the headers of her browser from then on. */
async function consoleSession(node: Node): Promise<Record<string, string>> {
  const open = createClient({ server: node.url });
  const { signIn, handle } = await open.call('console.begin', { body: { loginName: 'ines.marlow' } });
  const answer = await fetch(`${node.url}/api/v1/console/sign-ins/${signIn.id}/proofs`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ handle, kind: 'password', value: PASSWORD }),
  });
  expect(answer.status).toBe(200);
  return { cookie: answer.headers.get('set-cookie')!.split(';')[0]! };
}
const show = async (node: Node, headers: Record<string, string>) =>
  await fetch(`${node.url}/api/v1/session`, { headers });

describe('addresses', () => {
  it('that a request names for itself are believed from trusted proxies only, and then end up on the trail', async () => {
    const { id } = await inst.owner.call('people.add', {
      body: { displayName: 'Tove Brandt', loginNames: ['tove.brandt'] },
    });
    const rename = async (node: Node, forwarded: string, displayName: string) => {
      const headers = {
        authorization: `Bearer ${inst.ownerToken}`,
        'content-type': 'application/json',
        'x-forwarded-for': forwarded,
      };
      const { headers: read } = await fetch(`${node.url}/api/v1/people/${id}`, { headers });
      const answer = await fetch(`${node.url}/api/v1/people/${id}`, {
        method: 'PATCH',
        headers: { ...headers, 'if-match': read.get('etag')! },
        body: JSON.stringify({ displayName }),
      });
      expect(answer.status).toBe(200);
    };
    await rename(direct, '203.0.113.9', 'Tove B.');
    await rename(proxied, '203.0.113.9', 'Tove Br.');
    // The outermost address can be made up by whoever sends it; the last one that no proxy added counts.
    await rename(proxied, '198.51.100.1, 203.0.113.77', 'Tove Bra.');
    const { rows } = await inst.owner.call('trail.list', { query: { person: id, action: 'person.changed' } });
    expect(rows.map((entry) => entry.origin)).toEqual(['203.0.113.77', '203.0.113.9', '127.0.0.1']);
  });

  it('one source that floods the calls for anybody is slowed down without slowing others', async () => {
    const begin = async (from: string) =>
      await fetch(`${proxied.url}/api/v1/console/sign-ins`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'x-forwarded-for': from },
        body: JSON.stringify({ loginName: 'nobody.at.all' }),
      });
    const statuses: number[] = [];
    // From all over one /24: a budget for each address alone would be no budget. It counts whole minutes of the clock,
    // so that a flood that one of them ends in the middle of may go on for as long again, and no longer.
    for (let i = 0; i < 660 && !statuses.includes(429); i += 30)
      statuses.push(
        ...(await Promise.all(Array.from({ length: 30 }, async (_, j) => await begin(`192.0.2.${(i + j) % 250}`)))).map(
          (answer) => answer.status,
        ),
      );
    expect(statuses).toContain(429);
    expect(statuses.indexOf(429)).toBeGreaterThanOrEqual(300);
    expect((await begin('198.51.100.200')).status).toBe(201);
  });
});

describe('a console session', () => {
  it('ends after half an hour of nothing, on every node, and at its absolute end however busy', async () => {
    const idle = await consoleSession(direct);
    expect((await show(proxied, idle)).status).toBe(200);
    await inst.sql('UPDATE sessions SET seen_at = seen_at - INTERVAL 29 MINUTE');
    // Seen again just in time; that is written down, so the half hour starts anew.
    expect((await show(direct, idle)).status).toBe(200);
    await inst.sql('UPDATE sessions SET seen_at = seen_at - INTERVAL 29 MINUTE');
    expect((await show(proxied, idle)).status).toBe(200);
    await inst.sql('UPDATE sessions SET seen_at = seen_at - INTERVAL 31 MINUTE');
    expect((await show(direct, idle)).status).toBe(401);
    const busy = await consoleSession(direct);
    await inst.sql('UPDATE sessions SET expires_at = UTC_TIMESTAMP(3)');
    expect((await show(direct, busy)).status).toBe(401);
  });

  it('is signed out for good: the cookie is cleared, and worth nothing if kept', async () => {
    const headers = await consoleSession(direct);
    const { csrf } = (await (await show(direct, headers)).json()) as { csrf: string };
    const out = await fetch(`${direct.url}/api/v1/session`, {
      method: 'DELETE',
      headers: { ...headers, 'x-nlatch-csrf': csrf },
    });
    expect(out.status).toBe(200);
    expect(out.headers.get('set-cookie')).toMatch(/^__Host-nlatch=;.*Expires=Thu, 01 Jan 1970/);
    expect((await show(proxied, headers)).status).toBe(401);
  });

  it('of somebody who was deactivated, or lost the last role, is over at once', async () => {
    const second = await personWithApp(inst.owner, 'ravi.oduya');
    await inst.sql(
      "INSERT INTO role_grants (person_id, role, granted_at) SELECT id, 'owner', NOW(3) FROM persons WHERE display_name = 'ravi.oduya'",
    );
    const token = (await chore(await inst.environment(), 'owner-token', '--for', 'ravi.oduya')).trim();
    const ravi = createClient({ server: direct.url, token });
    expect((await ravi.call('session.show')).person.displayName).toBe('ravi.oduya');
    await afterWaiting(inst, () => inst.owner.call('people.deactivate', { params: { id: second.id } }));
    await expect(ravi.call('session.show')).rejects.toMatchObject({ code: 'not-signed-in' });
    await afterWaiting(inst, () => inst.owner.call('people.reactivate', { params: { id: second.id } }));
    // What was ended stays ended; a new one serves, as long as there is a role.
    await expect(ravi.call('session.show')).rejects.toMatchObject({ code: 'not-signed-in' });
    const anew = (await chore(await inst.environment(), 'owner-token', '--for', 'ravi.oduya')).trim();
    const again = createClient({ server: direct.url, token: anew });
    expect((await again.call('session.show')).roles).toEqual(['owner']);
    await inst.sql(
      "DELETE r FROM role_grants r JOIN persons p ON p.id = r.person_id WHERE p.display_name = 'ravi.oduya'",
    );
    await expect(again.call('session.show')).rejects.toMatchObject({ code: 'not-signed-in' });
  });
});

describe('an application key', () => {
  it('that was revoked stops within seconds on a node that has just believed it', async () => {
    const vpn = await connectedApplication(inst.owner, 'Remote Desk VPN');
    const app = createClient({ server: direct.url, token: vpn.key });
    await app.call('signIns.begin', { body: { loginName: 'anybody' } });
    await inst.sql('UPDATE connection_keys SET expires_at = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND');
    await expect
      .poll(
        async () =>
          await app.call('signIns.begin', { body: { loginName: 'anybody' } }).then(
            () => 'taken',
            (error: unknown) => (error as { code: string }).code,
          ),
        { interval: 250 },
      )
      .toBe('wrong-key');
  });
});

describe('a connection that is not HTTP, or not finished', () => {
  it('is ended without harm to the others', async () => {
    const port = Number(new URL(direct.url).port);
    const send = async (bytes: string | Buffer) =>
      await new Promise<string>((resolve) => {
        const socket = connect(port, '127.0.0.1', () => socket.end(bytes));
        let said = '';
        socket.on('data', (data) => (said += String(data)));
        socket.once('close', () => resolve(said));
        // Cut off in the middle of what it sends: what was said before that may be lost on the way.
        socket.on('error', () => undefined);
      });
    expect(await send('GARBAGE\r\n\r\n')).toMatch(/^HTTP\/1\.1 400/);
    expect(await send(Buffer.from([0x16, 0x03, 0x01, 0, 5, 1, 2, 3]))).toMatch(/^(HTTP\/1\.1 400|$)/);
    expect(await send(`GET / HTTP/1.1\r\nhost: localhost\r\nx: ${'a'.repeat(70_000)}\r\n\r\n`)).toMatch(
      /^(HTTP\/1\.1 431|$)/,
    );
    // Two lengths, or a length and chunks: the shape of request smuggling.
    const smuggled =
      'POST /api/v1/sign-ins HTTP/1.1\r\nhost: localhost\r\ncontent-length: 4\r\ntransfer-encoding: chunked\r\n\r\n0\r\n\r\n';
    expect(await send(smuggled)).toMatch(/^HTTP\/1\.1 400/);
    expect((await fetch(`${direct.url}/health/live`)).status).toBe(200);
  });
});

describe('a chore on the host', () => {
  it.each([
    [['owner-token', '--hours', 'ten'], /--hours: expected a whole number/],
    [
      ['owner-token', '--for', 'nobody.known'],
      /No active owner has this login name[\s\S]*try: nlatchd owner-link without --for/,
    ],
    [['owner-link', '--for', '   '], /No active owner has this login name/],
    [['keys', 'rotate', 'doors'], /There is no purpose "doors"[\s\S]*try: one of seed/],
    [
      ['trail', 'verify', '--file', '/nowhere/trail.jsonl'],
      /\/nowhere\/trail\.jsonl: there is no such file[\s\S]*try:/,
    ],
    [['trail', 'verify', '--anchors', '/nowhere/anchors.json'], /anchors\.json/],
    [['demo'], /error: .*(empty|people)/],
    [['serv'], /unknown command[\s\S]*--help lists the chores/],
  ])('%j that cannot be done says what and what to try', async (args, message) => {
    const result = await run(NLATCHD, args, { env: await inst.environment() });
    expect(result.code).not.toBe(0);
    expect(result.err).toMatch(message);
    expect(result.err).not.toMatch(/\n\s+at /);
  });

  it('never replaces a master key, says when it is missing or not the right one, and keeps it to its owner', async () => {
    const env = await inst.environment();
    const file = env['NLATCH_MASTER_KEY_FILE']!;
    expect(statSync(file).mode & 0o777).toBe(0o600);
    const before = readFileSync(file, 'utf8');
    expect(await chore(env, 'keys', 'create')).toContain('nothing to do');
    expect(readFileSync(file, 'utf8')).toBe(before);
    const elsewhere = join(inst.dir, 'other');
    mkdirSync(elsewhere);
    const missing = await run(NLATCHD, ['keys', 'create'], {
      env: { ...env, NLATCH_MASTER_KEY_FILE: join(elsewhere, 'k') },
    });
    expect(missing.err).toMatch(/holds a key set, but its master key file .* is missing[\s\S]*bring the file back/);
    expect(existsSync(join(elsewhere, 'k'))).toBe(false);
    for (const [content, message] of [
      [before.replace(/[A-Za-z0-9]/g, 'A'), /master key/i],
      ['nonsense', /master key/i],
    ] as const) {
      writeFileSync(join(elsewhere, 'wrong'), content, { mode: 0o600 });
      const wrong = await run(NLATCHD, ['keys', 'list'], {
        env: { ...env, NLATCH_MASTER_KEY_FILE: join(elsewhere, 'wrong') },
      });
      expect(wrong.code).toBe(1);
      expect(wrong.err).toMatch(message);
      expect(wrong.err).not.toContain(content.trim());
    }
  });

  it('without a database, or with a wrong password for it, names the place and never the password', async () => {
    const env = await inst.environment();
    for (const [more, message] of [
      [{ NLATCH_DATABASE_PORT: '1' }, /127\.0\.0\.1:1 cannot be used: nothing answers there/],
      [{ NLATCH_DATABASE_PASSWORD: 'not-the-password' }, /it refuses this user or password/],
    ] as const) {
      const result = await run(NLATCHD, ['keys', 'list'], { env: { ...env, ...more } });
      expect(result.err).toMatch(message);
      expect(result.err).toContain('try:');
      expect(result.err).not.toContain('not-the-password');
    }
  });
});
