import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  API_BASE,
  catalogue,
  ERROR_CODES,
  ERRORS,
  LIMITS,
  ROUTE_IDS,
  ROUTES,
  TRAIL_ACTIONS,
  type RouteSpec,
} from '@nimble-latch/api';
import { createClient } from '@nimble-latch/api/client';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CONFIG_VARIABLES } from '../packages/service/src/platform/config.js';
import { ROOT } from '../scripts/lib/installation.mjs';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';

const specs = ROUTE_IDS.map((id) => [id, ROUTES[id] as RouteSpec] as const);
const words = catalogue('en');

describe('the contract', () => {
  it('names who may call on every route, and why on those that anybody may', () => {
    for (const [id, { access }] of specs) expect(access.kind === 'public' ? access.why : access.kind, id).toBeTruthy();
  });

  it('says on every route that changes something what it writes on the trail, and why where nothing', () => {
    for (const [id, spec] of specs) {
      if (spec.method === 'GET') continue;
      expect(
        Array.isArray(spec.trail) ? spec.trail.length > 0 : (spec.trail as { none: string }).none.length > 15,
        id,
      ).toBe(true);
    }
  });

  it('has a sentence with a remedy for every code, told in docs/errors.md too, and for every trail action', () => {
    expect(Object.keys(words.errors).sort()).toEqual([...ERROR_CODES].sort());
    expect(Object.keys(words.trail).sort()).toEqual([...TRAIL_ACTIONS].sort());
    const page = readFileSync(join(ROOT, 'docs/errors.md'), 'utf8');
    const told = [...page.matchAll(/^\| `([a-z-]+)` +\| +(\d+) +\| +(\d+) +\| +(yes|no) +\| +(\w+) +\|/gm)];
    expect(told.map((row) => row[1])).toEqual(ERROR_CODES);
    for (const [, code, status, exit, retry, audience] of told) {
      const spec = ERRORS[code as keyof typeof ERRORS];
      expect([Number(status), Number(exit), retry === 'yes', audience]).toEqual([
        spec.status,
        spec.exit,
        spec.retryable,
        spec.audience,
      ]);
    }
    const operations = readFileSync(join(ROOT, 'docs/operations.md'), 'utf8');
    for (const name of CONFIG_VARIABLES) expect(operations, name).toContain(`\`${name}\``);
    const codes = new Set<string>(ERROR_CODES);
    for (const [id, spec] of specs)
      for (const code of spec.errors ?? []) expect(codes.has(code), `${id}: ${code}`).toBe(true);
  });
});

describe('every route', () => {
  let inst: Installation;
  beforeAll(async () => {
    inst = await Installation.start();
  });
  afterAll(() => inst.stop());
  const url = (spec: RouteSpec) =>
    inst.url + API_BASE + spec.path.replace(/\{\w+\}/g, '00000000-0000-7000-8000-00000000ffff');
  const send = (spec: RouteSpec, init: RequestInit = {}) => fetch(url(spec), { method: spec.method, ...init });

  it('turns away who has no right to it, in the form of RFC 9457', async () => {
    const app = await connectedApplication(inst.owner, 'Nosy', { scopes: ['read'] });
    for (const [id, spec] of specs) {
      if (spec.access.kind === 'public') continue;
      const tokens = [
        '',
        'nla_aaaaaaaaaaaaaaaaaaaaaaaaaa_aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa',
        spec.access.kind === 'application' ? inst.ownerToken : app.key,
      ];
      for (const token of tokens) {
        const answer = await send(spec, token ? { headers: { authorization: `Bearer ${token}` } } : {});
        expect([401, 403], `${id} with ${token.slice(0, 3)}`).toContain(answer.status);
        expect(answer.headers.get('content-type')).toContain('application/problem+json');
        expect(await answer.json()).toMatchObject({
          code: expect.any(String),
          title: expect.any(String),
          remedy: expect.any(String),
          instance: expect.stringMatching(/^urn:/),
        });
      }
    }
  });

  it('is in the OpenAPI description, and nothing else answers', async () => {
    const openapi = (await (await fetch(`${inst.url}/api/v1/openapi.json`)).json()) as {
      openapi: string;
      paths: Record<string, Record<string, { operationId: string }>>;
    };
    expect(openapi.openapi).toBe('3.1.0');
    expect(
      Object.values(openapi.paths)
        .flatMap((path) => Object.values(path).map((one) => one.operationId))
        .sort(),
    ).toEqual([...ROUTE_IDS].sort());
    expect((await fetch(`${inst.url}/api/v1/nothing`)).status).toBe(404);
    expect(await (await fetch(`${inst.url}/api/docs`)).text()).toContain('HTTP interface');
    expect((await fetch(`${inst.url}/health/ready`)).status).toBe(200);
  });

  it('survives every field wrong in every way, names the place, and writes nothing', async () => {
    const person = await personWithApp(inst.owner, 'target.person');
    const app = await connectedApplication(inst.owner, 'Target', { claims: ['password-checked'] });
    const counts = async () =>
      (
        await inst.sql(
          'SELECT (SELECT COUNT(*) FROM persons) p, (SELECT COUNT(*) FROM person_groups) g, (SELECT COUNT(*) FROM applications) a, (SELECT COUNT(*) FROM authenticators) k, (SELECT version FROM settings) s',
        )
      )[0];
    const before = await counts();
    const long = 'x'.repeat(5_000);
    const wrongs: unknown[] = [
      undefined,
      null,
      0,
      -1,
      1e308,
      true,
      '',
      ' ',
      '\u0000',
      'a\u0000b',
      '\u202Egnp.exe',
      '👩‍🚀'.repeat(400),
      long,
      [],
      [[]],
      {},
      { a: { b: {} } },
      [long, long],
      ['dup', 'DUP'],
    ];
    const authorization = (spec: RouteSpec) => ({
      authorization: `Bearer ${spec.access.kind === 'application' ? app.key : inst.ownerToken}`,
    });
    for (const [id, spec] of specs) {
      if (!spec.body || id === 'settings.edit') continue;
      const path = inst.url + API_BASE + spec.path.replace(/\{\w+\}/g, person.id);
      const properties = Object.keys((spec.body as unknown as { shape: object }).shape);
      const bodies: unknown[] = [
        ...wrongs,
        { unknown: 1 },
        ...properties.flatMap((name) => wrongs.map((value) => ({ [name]: value }))),
        JSON.parse('{"__proto__":{"admin":true}}'),
      ];
      const answers = await Promise.all(
        bodies.map((body) =>
          fetch(path, {
            method: spec.method,
            headers: { ...authorization(spec), 'content-type': 'application/json', 'if-match': '"v999"' },
            ...(body === undefined ? {} : { body: JSON.stringify(body) }),
          }),
        ),
      );
      for (const [i, answer] of answers.entries()) {
        // A field that may be left out makes a body right; those calls then fail for another reason or do little.
        expect(answer.status, `${id} with ${JSON.stringify(bodies[i])?.slice(0, 80)}`).toBeLessThan(500);
        if (answer.status !== 400) continue;
        const problem = (await answer.json()) as { code: string; issues?: { where: string; what: string }[] };
        expect(['invalid-input', 'malformed-body']).toContain(problem.code);
        expect(JSON.stringify(problem).length).toBeLessThan(8_000);
        if (problem.code === 'invalid-input') expect(problem.issues![0]!.where).toMatch(/^(body|query|header)/);
      }
    }
    const after = await counts();
    // An empty body begins an enrolment, which is right; nothing else may have come about.
    expect({ ...after, k: 0 }).toEqual({ ...before, k: 0 });
    expect((await inst.owner.call('session.show')).person.displayName).toBe('Ines Marlow');
  }, 600_000);

  it('refuses bodies that are cut short, too large, of another type or not UTF-8 JSON', async () => {
    const post = async (body: string | Buffer, type = 'application/json') => {
      const answer = await fetch(`${inst.url}/api/v1/people`, {
        method: 'POST',
        headers: { authorization: `Bearer ${inst.ownerToken}`, 'content-type': type },
        body: body as string,
      });
      return ((await answer.json()) as { code: string }).code;
    };
    expect(await post('{"displayName":"A","loginNa')).toBe('malformed-body');
    expect(await post('')).toBe('malformed-body');
    expect(await post('{"displayName":"A","loginNames":["a"],"__proto__":{"x":1}}')).toBe('malformed-body');
    expect(await post(`{"displayName":"${'x'.repeat(LIMITS.bodyBytes)}"}`)).toBe('body-too-large');
    // The service answers and hangs up while the rest is still being sent; some clients only see the latter.
    expect(['body-too-large', 'hung up']).toContain(
      await post(Buffer.alloc(10 * 1024 * 1024, 32)).catch(() => 'hung up'),
    );
    expect(await post('displayName=A', 'application/x-www-form-urlencoded')).toBe('unsupported-media-type');
    expect(await post('{}', 'text/plain')).toBe('unsupported-media-type');
    expect(await post('['.repeat(30_000))).toBe('malformed-body');
    expect(await post(Buffer.from([0x7b, 0xff, 0xfe, 0x7d]))).toBe('malformed-body');
  });

  it('never answers 500 to any path, query or header that a fuzzer thinks of', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom(...specs.filter(([id]) => id !== 'session.end')),
        fc.string({ maxLength: 40 }),
        fc.string({ maxLength: 60 }),
        async ([, spec], part, query) => {
          const path = spec.path.replace(/\{\w+\}/g, encodeURIComponent(part) || 'x');
          const answer = await fetch(
            `${inst.url}${API_BASE}${path}?cursor=${encodeURIComponent(query)}&limit=${encodeURIComponent(part)}`,
            {
              method: spec.method,
              headers: {
                authorization: `Bearer ${inst.ownerToken}`,
                'if-match': JSON.stringify(query).replace(/[^\x20-\x7e]/g, '?'),
                'idempotency-key': part.replace(/[^\x20-\x7e]/g, '?') || 'x',
              },
            },
          );
          expect(answer.status).toBeLessThan(500);
        },
      ),
      { numRuns: 300 },
    );
  }, 60_000);

  it('edits only what was seen last: If-Match decides between two', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'pilots' } });
    const edit = (description: string, ifMatch: number) =>
      inst.owner.call('groups.edit', { params: { id: group.id }, body: { description }, ifMatch });
    const both = await Promise.allSettled([edit('one', group.version), edit('two', group.version)]);
    expect(both.map((one) => one.status).sort()).toEqual(['fulfilled', 'rejected']);
    await expect(edit('three', group.version)).rejects.toMatchObject({ code: 'changed-meanwhile' });
    const bare = await fetch(`${inst.url}/api/v1/groups/${group.id}`, {
      method: 'PATCH',
      headers: { authorization: `Bearer ${inst.ownerToken}`, 'content-type': 'application/json' },
      body: '{}',
    });
    expect(bare.status).toBe(428);
  });

  it('pages without gaps or repeats while rows are added, and takes no cursor of another list', async () => {
    const names = Array.from({ length: 23 }, (_, i) => `page-${String(i).padStart(2, '0')}`);
    await Promise.all(
      names.map((name) => inst.owner.call('people.add', { body: { displayName: name, loginNames: [name] } })),
    );
    const seen: string[] = [];
    let cursor: string | undefined;
    do {
      const page = await inst.owner.call('people.list', { query: { q: 'page-', limit: 5, cursor } });
      seen.push(...page.rows.map((row) => row.displayName));
      cursor = page.next ?? undefined;
      await inst.owner.call('people.add', {
        body: { displayName: 'page-', loginNames: [`page-extra-${seen.length}`] },
      });
    } while (cursor);
    expect(seen).toEqual(names);
    const first = await inst.owner.call('people.list', { query: { limit: 1 } });
    await expect(inst.owner.call('activity.list', { query: { cursor: first.next! } })).rejects.toMatchObject({
      code: 'invalid-input',
    });
    expect((await inst.owner.call('people.list', { query: { q: '%' } })).rows).toEqual([]);
  });

  it('keeps login names apart over all people by the one rule, whoever is first', async () => {
    const add = (loginName: string, i: number) =>
      inst.owner.call('people.add', { body: { displayName: `same ${i}`, loginNames: [`same-${i}`, loginName] } });
    const results = await Promise.allSettled(['Same.Name', 'same.name', 'ＳＡＭＥ.name', ' SAME.NAME '].map(add));
    expect(results.filter((one) => one.status === 'fulfilled')).toHaveLength(1);
    const [kept] = (await inst.owner.call('people.list', { query: { loginName: 'SAME.name' } })).rows;
    const person = await inst.owner.call('people.show', { params: { id: kept!.id } });
    const [last, ...others] = person.loginNames;
    for (const name of others)
      await inst.owner.call('loginNames.remove', { params: { id: person.id, loginNameId: name.id } });
    await expect(
      inst.owner.call('loginNames.remove', { params: { id: person.id, loginNameId: last!.id } }),
    ).rejects.toMatchObject({ code: 'last-login-name' });
  });

  it('leaves no secret in any log line, trail entry, list answer or plain column', async () => {
    const canary = 'canary Zebra-7f3a password';
    const mail = 'canary-mail-7f3a@wexmoor.example';
    const person = await inst.owner.call('people.add', {
      body: { displayName: 'Canary', loginNames: ['canary'], mail, phone: '+44 20 7946 0999' },
    });
    await inst.owner.call('people.setPassword', { params: { id: person.id }, body: { password: canary } });
    const begun = await inst.owner.call('totp.begin', { params: { id: person.id }, body: {} });
    const app = await connectedApplication(inst.owner, 'Canary app');
    const client = createClient({ server: inst.url, token: app.key });
    const { id } = await client.call('signIns.begin', { body: { loginName: 'canary' } });
    await client.call('signIns.prove', { params: { id }, body: { kind: 'password', value: `${canary} mistyped` } });
    await client.call('signIns.prove', { params: { id }, body: { kind: 'password', value: canary } });
    await inst.owner
      .call('people.setPassword', { params: { id: person.id }, body: { password: 'short' } })
      .catch(() => undefined);
    await fetch(`${inst.url}/api/v1/people`, {
      method: 'POST',
      headers: { authorization: `Bearer ${inst.ownerToken}`, 'content-type': 'application/json' },
      body: `{"displayName":"${canary}","loginNames":["${canary}"]`,
    });
    const secret = /secret=([A-Z2-7]+)/.exec(begun.keyUri)![1]!;
    const raw = Buffer.from(begun.key.replaceAll(' ', '')).toString('hex');
    const secrets = [
      canary,
      mail,
      '442079460999',
      secret,
      begun.key,
      app.key.split('_')[2]!,
      inst.ownerToken.split('_')[2]!,
      raw,
    ];
    const lists = await Promise.all([
      inst.owner.call('people.list', { query: { limit: 200 } }),
      inst.owner.call('keyring.show', { params: { id: person.id } }),
      inst.owner.call('applications.show', { params: { id: app.id } }),
      inst.owner.call('activity.show', { params: { id } }),
      inst.owner.call('accessTokens.list'),
      inst.owner.call('trail.list', { query: { limit: 200 } }),
      inst.owner.call('system.show'),
    ]);
    const tables = (
      await inst.sql<{ name: string }>(
        'SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()',
      )
    ).map((row) => row.name);
    const dump = JSON.stringify(
      await Promise.all(tables.map((table) => inst.sql(`SELECT * FROM \`${table}\``))),
      (_, value: unknown) =>
        value && (value as { type?: string }).type === 'Buffer'
          ? Buffer.from((value as { data: number[] }).data).toString('latin1')
          : value,
    );
    for (const [where, text] of [
      ['logs', inst.logs()],
      ['answers', JSON.stringify(lists)],
      ['database', dump],
    ] as const)
      for (const one of secrets) expect(text.includes(one), `${where} hold ${one.slice(0, 6)}…`).toBe(false);
    expect(inst.logs()).toContain('"route":"people.setPassword"');
    expect(PASSWORD.length).toBeGreaterThan(12);
  });
});
