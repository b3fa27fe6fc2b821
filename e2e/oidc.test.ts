import type { Sent } from '@nimble-latch/api';
import * as oidc from 'openid-client';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { chore } from '../scripts/lib/installation.mjs';
import { Installation, PASSWORD, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';
import { problemOf, RelyingParty, Visitor } from './support/visitor.js';

const OURS = 'https://berths.wexmoor.example';
const BACK = `${OURS}/signed-in`;
const WITH_QUERY = `${OURS}/in?place=quay`;

let inst: Installation;
let ada: Awaited<ReturnType<typeof personWithApp>> & { name: string };
let plain: string;
let berths: RelyingParty;
let payroll: RelyingParty;
let crane: RelyingParty;
const clients: Record<string, { application: string; id: string; secret: string | null }> = {};

type Oidc = NonNullable<Sent<'connections.add', 'body'>['oidc']>;

async function connect(name: string, parameters: Oidc, claims: 'password-checked'[] = []): Promise<RelyingParty> {
  const application = await inst.owner.call('applications.add', { body: { name } });
  const { connection, key } = await inst.owner.call('connections.add', {
    params: { id: application.id },
    body: { kind: 'oidc', oidc: parameters, claims },
  });
  clients[name] = { application: application.id, id: connection.id, secret: key };
  return await RelyingParty.connect(connection.oidc!.issuer, connection.id, key, parameters.redirectUris[0]!);
}

beforeAll(async () => {
  inst = await Installation.start(2);
  const person = await inst.owner.call('people.add', {
    body: { displayName: 'Plain', loginNames: ['plain'], mail: 'plain@wexmoor.example' },
  });
  plain = person.id;
  await inst.owner.call('people.setPassword', { params: { id: plain }, body: { password: PASSWORD } });
  const group = await inst.owner.call('groups.add', { body: { name: 'port-offices' } });
  await inst.owner.call('groups.join', { params: { id: group.id, personId: plain } });
  berths = await connect('Berth Planner', {
    redirectUris: [BACK, WITH_QUERY],
    endUris: ['https://berths.wexmoor.example/bye'],
  });
  payroll = await connect('Payroll', {
    redirectUris: ['http://127.0.0.1:9/in'],
    client: 'public',
    releases: ['profile', 'email', 'groups'],
    algorithm: 'ES256',
  });
  crane = await connect('Crane Log', { redirectUris: ['https://cranes.wexmoor.example/in'] }, ['password-checked']);
  await publish(
    inst.owner,
    rulebookOf([
      CONSOLE,
      '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + totp] }, remember browser: 14 days }',
      '{ rule: Wages, at: { applications: [Payroll] }, then: let in }',
      '{ rule: Cranes by new browsers, at: { applications: [Crane Log] }, browser: new, then: { ask for: [password + totp] } }',
      '{ rule: Cranes, at: { applications: [Crane Log] }, then: { ask for: [password] } }',
    ]),
  );
});
afterAll(async () => await inst.stop());
// Somebody new for each test: a phone has no more than some codes at a time.
let people = 0;
beforeEach(async () => {
  const name = `ada.quay-${people++}`;
  ada = { ...(await personWithApp(inst.owner, name)), name };
});

const visitor = () => new Visitor(inst.url);
const errorOf = (url: URL | string) => new URL(url).searchParams.get('error');
/** What the token endpoint makes of a form, whatever is in it. */
async function token(
  form: Record<string, string>,
  client = clients['Berth Planner']!,
  server = inst.url,
): Promise<{ status: number; error?: string; access_token?: string }> {
  const answer = await fetch(`${server}/oidc/token`, {
    method: 'POST',
    headers: { authorization: `Basic ${Buffer.from(`${client.id}:${client.secret ?? ''}`).toString('base64')}` },
    body: new URLSearchParams(form),
  });
  return { status: answer.status, ...((await answer.json()) as object) };
}
const letIn = async (relying = berths, more: Record<string, string> = {}, as = visitor()) => {
  const request = await relying.request(more);
  return { request, back: await as.signIn(request.url, ada.name, ada.phone) };
};

describe('an application that is connected by OpenID Connect', () => {
  it('sends people to our page and gets them back with what its own client package believes', async () => {
    const { request, back } = await letIn();
    expect(back.href.startsWith(`${BACK}?code=`)).toBe(true);
    const tokens = await berths.tokens(back, request);
    expect(tokens.claims()).toMatchObject({ sub: ada.id, acr: 'level-2', amr: ['pwd', 'otp', 'mfa'] });
    const told = await oidc.fetchUserInfo(berths.config, tokens.access_token, ada.id);
    expect(told).toMatchObject({ name: ada.name, preferred_username: ada.name, locale: 'en', zoneinfo: 'UTC' });
    expect(told).not.toHaveProperty('groups');
    const { rows } = await inst.owner.call('activity.list', { query: { person: ada.id, limit: 1 } });
    expect(rows[0]).toMatchObject({ state: 'let-in', rule: 'Berths', application: { name: 'Berth Planner' } });
  });

  it('learns what it may and asks for, and nothing else; without a secret it proves itself by its verifier', async () => {
    const as = visitor();
    const request = await payroll.request({ scope: 'openid email groups address offline_access' });
    const begun = await as.begin(request.url, 'plain');
    const done = await as.prove(begun, 'password', PASSWORD);
    const tokens = await payroll.tokens(new URL(done.redirect!), request);
    expect(tokens.claims()).toMatchObject({ sub: plain, acr: 'level-1', amr: ['pwd'] });
    expect(tokens.scope).toBe('openid email groups');
    const told = await oidc.fetchUserInfo(payroll.config, tokens.access_token, plain);
    expect(told).toEqual({ sub: plain, email: 'plain@wexmoor.example', groups: ['port-offices'] });
    await inst.owner.call('people.deactivate', { params: { id: plain } });
    await expect(oidc.fetchUserInfo(payroll.config, tokens.access_token, plain)).rejects.toThrow();
    await inst.owner.call('people.reactivate', { params: { id: plain } });
  });

  it('whose address has a query gets the answer added to it', async () => {
    const { back } = await letIn(berths, { redirect_uri: WITH_QUERY });
    expect(back.href).toMatch(/^https:\/\/berths\.wexmoor\.example\/in\?place=quay&code=nlc_/);
    expect(back.searchParams.get('iss')).toBe(new URL(inst.url).origin.replace('127.0.0.1', 'localhost'));
  });

  it('finds whoever has signed in elsewhere, and asks for what is missing, for what is too old, or anew', async () => {
    const as = visitor();
    const wages = await payroll.request();
    const begun = await as.begin(wages.url, ada.name);
    expect((await as.prove(begun, 'password', PASSWORD)).redirect).not.toBeNull();
    // The password was proved at Payroll; the plan wants a code besides.
    const first = await as.begin((await berths.request()).url);
    expect(first).toMatchObject({ person: ada.name, signIn: { state: 'asking', prompt: { kind: 'code' } } });
    expect((await as.prove(first, 'code', ada.phone.next())).redirect).not.toBeNull();
    const again = await as.begin((await berths.request()).url);
    expect(again.signIn).toMatchObject({ state: 'let-in', way: 'password + totp' });
    expect(errorOf((await as.begin((await berths.request({ prompt: 'none' })).url)).redirect!)).toBeNull();
    const anew = await as.begin((await berths.request({ prompt: 'login' })).url);
    expect(anew.signIn).toMatchObject({ state: 'asking', prompt: { kind: 'password' } });
    const old = await as.begin((await berths.request({ max_age: '0' })).url);
    expect(old.signIn).toMatchObject({ state: 'asking', prompt: { kind: 'password' } });
    const somebody = await as.begin((await berths.request({ prompt: 'select_account' })).url);
    expect(somebody).toMatchObject({ signIn: null, person: null });
    const stranger = await visitor().begin((await berths.request({ prompt: 'none', login_hint: ada.name })).url);
    expect(errorOf(stranger.redirect!)).toBe('login_required');
    const { steps } = await inst.owner.call('activity.show', { params: { id: again.signIn!.id } });
    expect(steps.filter(({ what }) => what === 'counted').map(({ method }) => method)).toEqual(['password', 'totp']);
  });

  it('may wish for more than the rule asks, from whoever can, and is told what was reached', async () => {
    const wish = { acr_values: 'phrh level-2' };
    const { request, back } = await letIn(payroll, wish);
    expect((await payroll.tokens(back, request)).claims()).toMatchObject({
      acr: 'level-2',
      amr: ['pwd', 'otp', 'mfa'],
    });
    const as = visitor();
    const begun = await as.begin((await payroll.request(wish)).url, 'plain');
    expect(await as.prove(begun, 'password', PASSWORD)).toMatchObject({ signIn: { state: 'let-in', way: 'password' } });
  });

  it('names somebody by an ID token; whoever else signs in is not taken for them', async () => {
    const { request, back } = await letIn(payroll, { acr_values: 'level-2' });
    const hint = { id_token_hint: (await payroll.tokens(back, request)).id_token! };
    const as = visitor();
    const begun = await as.begin((await payroll.request(hint)).url, 'plain');
    expect(errorOf((await as.prove(begun, 'password', PASSWORD)).redirect!)).toBe('login_required');
    // Signed in as plain by now, who is not the one that is meant.
    expect((await as.begin((await payroll.request(hint)).url)).signIn).toBeNull();
    const [head, body, signature] = hint.id_token_hint.split('.') as [string, string, string];
    const forged = JSON.stringify({ ...(JSON.parse(Buffer.from(body, 'base64url').toString()) as object), sub: plain });
    const lie = { id_token_hint: `${head}.${Buffer.from(forged).toString('base64url')}.${signature}` };
    expect((await as.begin((await payroll.request(lie)).url)).signIn).toBeNull();
  });
});

describe('a system that has checked the password itself', () => {
  const pushed = () => ({ login_hint: ada.name, password_checked: 'true' });

  it('names the person by a pushed request and gets the second step only, once', async () => {
    const request = await crane.request(pushed(), true);
    const as = visitor();
    const opened = await as.open(request.url);
    if (!('request' in opened)) throw new Error(opened.elsewhere.href);
    const begun = { ...(await as.beginWith(opened.request, 'plain')), ...opened };
    expect(begun).toMatchObject({ named: true, signIn: { state: 'asking', prompt: { kind: 'code' } } });
    const done = await as.prove(begun, 'code', ada.phone.next());
    expect((await crane.tokens(new URL(done.redirect!), request)).claims()).toMatchObject({
      sub: ada.id,
      acr: 'level-2',
    });
    expect(await as.beginWith(opened.request)).toMatchObject({ code: 'request-gone' });
    // What another system vouches for is no session of ours.
    expect([...as.cookies.keys()]).toEqual(['__Host-nlatch-browser']);
  });

  it('is not believed in an address that anybody can write, nor without the grant', async () => {
    const as = visitor();
    const open = await as.begin((await crane.request(pushed())).url, ada.name);
    expect(open).toMatchObject({ named: false, signIn: { prompt: { kind: 'password' } } });
    const refused = await fetch(`${inst.url}/oidc/push`, {
      method: 'POST',
      headers: {
        authorization: `Basic ${Buffer.from(`${clients['Berth Planner']!.id}:${clients['Berth Planner']!.secret}`).toString('base64')}`,
      },
      body: new URLSearchParams({
        ...Object.fromEntries((await berths.request(pushed())).url.searchParams),
        ...pushed(),
      }),
    });
    expect(await refused.json()).toMatchObject({ ignored_claims: ['password-checked'] });
    const ungranted = await as.begin((await berths.request(pushed(), true)).url, ada.name);
    expect(ungranted).toMatchObject({ named: false, signIn: { prompt: { kind: 'password' } } });
    await expect(
      inst.owner.call('connections.edit', {
        params: { id: clients['Payroll']!.id },
        body: { claims: ['password-checked'] },
        ifMatch: 1,
      }),
    ).rejects.toMatchObject({ code: 'invalid-input' });
  });
});

describe('a remembered browser', () => {
  it('is not asked for the code again at that rule, until the person or an administrator has it forgotten', async () => {
    const as = visitor();
    await as.signIn((await berths.request()).url, ada.name, ada.phone, true);
    const days = async () => {
      as.cookies.delete('__Host-nlatch-in');
      const begun = await as.begin((await berths.request()).url, ada.name);
      expect(begun.signIn!.prompt!.kind).toBe('password');
      return await as.prove(begun, 'password', PASSWORD);
    };
    const later = await days();
    expect(later.signIn).toMatchObject({ state: 'let-in', way: 'password + totp' });
    // What was proved on another day is nothing that the application is told.
    const request = await berths.request({ acr_values: 'level-2' });
    as.cookies.delete('__Host-nlatch-in');
    const wished = await as.begin(request.url, ada.name);
    expect((await as.prove(wished, 'password', PASSWORD)).signIn).toMatchObject({ prompt: { kind: 'code' } });
    const shown = async () =>
      (await (await as.fetch('/api/v1/pages/session')).json()) as { person: string | null; browsers: { id: string }[] };
    await days();
    const { person, browsers } = await shown();
    expect([person, browsers.length]).toEqual([ada.name, 1]);
    await as.fetch(`/api/v1/pages/browsers/${browsers[0]!.id}`, { method: 'DELETE' });
    expect((await days()).signIn).toMatchObject({ state: 'asking', prompt: { kind: 'code' }, person: null });
    await as.signIn((await berths.request()).url, ada.name, ada.phone, true);
    expect(await inst.owner.call('browsers.list', { params: { id: ada.id } })).toMatchObject({
      browsers: [{ rule: 'Berths' }],
    });
    expect(await inst.owner.call('browsers.signOut', { params: { id: ada.id } })).toMatchObject({ browsers: 1 });
    expect((await shown()).person).toBeNull();
    expect((await days()).signIn).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
  });

  it('is what rules ask about: new until the person was let in from it', async () => {
    const as = visitor();
    const begin = async () => {
      as.cookies.delete('__Host-nlatch-in');
      const begun = await as.begin((await crane.request()).url, ada.name);
      return { ...begun, ...(await as.prove(begun, 'password', PASSWORD)) };
    };
    const first = await begin();
    expect(first.signIn).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    await as.prove(first, 'code', ada.phone.next());
    expect((await begin()).signIn).toMatchObject({ state: 'let-in', way: 'password' });
  });
});

describe('signing out', () => {
  it('asks on our page, ends the session, and goes back to registered addresses only', async () => {
    const as = visitor();
    const request = await berths.request();
    const tokens = await berths.tokens(await as.signIn(request.url, ada.name, ada.phone), request);
    const end = async (address: string) => {
      const url = oidc.buildEndSessionUrl(berths.config, {
        id_token_hint: tokens.id_token!,
        post_logout_redirect_uri: address,
        state: 'x',
      });
      const opened = await as.open(url);
      if (!('elsewhere' in opened)) throw new Error('not our page for signing out');
      return opened.elsewhere.hash.replace('#end=', '');
    };
    const sealed = await end('https://berths.wexmoor.example/bye');
    // Opening the address alone did nothing.
    expect((await as.begin((await berths.request()).url)).signIn?.state).toBe('let-in');
    const back = await as.post<{ redirect: string }>('/pages/session/end', { request: sealed });
    expect(back.redirect).toBe('https://berths.wexmoor.example/bye?state=x');
    expect((await as.begin((await berths.request()).url)).signIn).toBeNull();
    const strange = await end('https://elsewhere.example/');
    expect(await as.post('/pages/session/end', { request: strange })).toEqual({ redirect: null });
  });
});

describe('an attacker', () => {
  it('gets nobody sent to an address that is not registered to the letter', async () => {
    const { url } = await berths.request();
    const wrong = ['/signed-in/', '/signed-in?x=1', ':443/signed-in', '/signed-in#x', '/x/../signed-in'];
    const others = ['https://BERTHS.wexmoor.example/signed-in', `${OURS}@evil.example/signed-in`, '//evil.example', ''];
    for (const address of [...wrong.map((end) => OURS + end), ...others]) {
      url.searchParams.set('redirect_uri', address);
      // Which client and which address is said as it was sent; what would be right is not.
      expect(problemOf(await visitor().open(url)), address).toEqual({
        problem: 'redirect-uri',
        client: url.searchParams.get('client_id'),
        ...(address === '' ? {} : { address }),
      });
    }
    const { url: other } = await payroll.request();
    for (const [client, problem] of [
      [clients['Berth Planner']!.id, 'redirect-uri'],
      ['01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11', 'client'],
    ] as const) {
      other.searchParams.set('client_id', client);
      expect(problemOf(await visitor().open(other))).toMatchObject({ problem, client });
    }
    await expect(
      inst.owner.call('connections.edit', {
        params: { id: clients['Payroll']!.id },
        body: { oidc: { redirectUris: ['javascript:alert(1)'] } },
        ifMatch: 1,
      }),
    ).rejects.toMatchObject({ code: 'invalid-input' });
  });

  it('is sent back with an error for what is wrong otherwise, never to our prompts', async () => {
    const wrong: [Record<string, string | null>, string][] = [
      [{ response_type: 'token' }, 'unsupported_response_type'],
      [{ response_type: 'code id_token' }, 'unsupported_response_type'],
      [{ scope: 'profile' }, 'invalid_scope'],
      [{ code_challenge: null }, 'invalid_request'],
      [{ code_challenge_method: 'plain' }, 'invalid_request'],
      [{ code_challenge_method: null }, 'invalid_request'],
      [{ code_challenge: 'short' }, 'invalid_request'],
      [{ prompt: 'none login' }, 'invalid_request'],
      [{ max_age: '-1' }, 'invalid_request'],
      [{ request: 'e30.e30.' }, 'request_not_supported'],
      [{ response_mode: 'fragment' }, 'invalid_request'],
      [{ nonce: 'n'.repeat(501) }, 'invalid_request'],
      [{ extra: 'x'.repeat(7_000) }, 'invalid_request'],
    ];
    for (const [change, error] of wrong) {
      const { url, state } = await berths.request();
      for (const [name, value] of Object.entries(change))
        if (value === null) url.searchParams.delete(name);
        else url.searchParams.set(name, value);
      const opened = await visitor().open(url);
      if (!('elsewhere' in opened)) throw new Error(`${JSON.stringify(change)} was taken`);
      expect(opened.elsewhere.href.startsWith(BACK)).toBe(true);
      expect([errorOf(opened.elsewhere), opened.elsewhere.searchParams.get('state')]).toEqual([error, state]);
    }
    const { url } = await berths.request();
    url.searchParams.append('nonce', 'again');
    expect(errorOf(((await visitor().open(url)) as { elsewhere: URL }).elsewhere)).toBe('invalid_request');
  });

  it('who has a code without its verifier, its client or its address has nothing, and does not spoil it', async () => {
    const { request, back } = await letIn();
    const code = back.searchParams.get('code')!;
    const right = { grant_type: 'authorization_code', code, redirect_uri: BACK, code_verifier: request.verifier };
    const other = await berths.request();
    expect(await token({ ...right, code_verifier: other.verifier })).toMatchObject({
      status: 400,
      error: 'invalid_grant',
    });
    expect(await token({ ...right, redirect_uri: WITH_QUERY })).toMatchObject({ status: 400, error: 'invalid_grant' });
    expect(await token(right, clients['Crane Log'])).toMatchObject({ status: 400, error: 'invalid_grant' });
    expect(await token(right, { ...clients['Berth Planner']!, secret: clients['Crane Log']!.secret })).toMatchObject({
      status: 401,
      error: 'invalid_client',
    });
    expect(await token({ ...right, code: `${code.slice(0, -1)}${code.endsWith('a') ? 'b' : 'a'}` })).toMatchObject({
      error: 'invalid_grant',
    });
    expect(await token({ ...right, grant_type: 'password' })).toMatchObject({ error: 'unsupported_grant_type' });
    // Injected into another's browser, it does not fit what the application keeps there.
    await expect(berths.tokens(back, other)).rejects.toThrow();
    expect((await berths.tokens(back, request)).claims()!.sub).toBe(ada.id);
  });

  it('who is first of many with the same code, on whatever node, is the only one; later ones take back what it gave', async () => {
    const { request, back } = await letIn();
    const form = {
      grant_type: 'authorization_code',
      code: back.searchParams.get('code')!,
      redirect_uri: BACK,
      code_verifier: request.verifier,
    };
    const answers = await Promise.all(
      Array.from({ length: 8 }, (_, i) => token(form, clients['Berth Planner'], inst.nodes[i % 2]!.url)),
    );
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 400, 400, 400, 400, 400, 400, 400]);
    const { access_token: access } = answers.find(({ status }) => status === 200)!;
    await expect(oidc.fetchUserInfo(berths.config, access!, ada.id)).rejects.toThrow();
    const { rows } = await inst.owner.call('trail.list', { query: { action: 'code.replayed' } });
    expect(rows[0]).toMatchObject({ person: { id: ada.id }, target: { name: 'Berth Planner' } });
    const late = await letIn();
    await inst.sql('UPDATE oidc_grants SET expires_at = UTC_TIMESTAMP(3) WHERE used_at IS NULL');
    await expect(berths.tokens(late.back, late.request)).rejects.toThrow();
  });

  it('cannot have another server’s answer taken for ours, nor finish one request with the sign-in of another', async () => {
    const { request, back } = await letIn();
    back.searchParams.set('iss', 'https://elsewhere.example');
    await expect(berths.tokens(back, request)).rejects.toThrow();
    const as = visitor();
    const mine = await as.begin((await berths.request()).url, ada.name);
    const theirs = await as.open((await berths.request()).url);
    const crossed = await as.prove({ ...mine, ...(theirs as { request: string }) }, 'password', PASSWORD);
    expect(crossed).toMatchObject({ code: 'not-found' });
    const changed = `${mine.request.slice(0, -4)}AAAA`;
    expect(await as.beginWith(changed)).toMatchObject({ code: 'request-gone' });
  });

  it('cannot sign anybody in or out from a page of another site, and a planted session is worth nothing', async () => {
    const as = visitor();
    const { request } = (await as.open((await berths.request()).url)) as { request: string };
    for (const headers of [{ origin: 'https://evil.example' }, { 'sec-fetch-site': 'cross-site' }])
      for (const [path, body] of [
        ['/pages/sign-ins', { request, loginName: ada.name }],
        ['/pages/session/end', {}],
      ] as const) {
        const answer = await as.fetch(`/api/v1${path}`, {
          method: 'POST',
          body: JSON.stringify(body),
          headers: { 'content-type': 'application/json', ...headers },
        });
        expect(((await answer.json()) as { code: string }).code).toBe('cross-site');
      }
    await as.signIn((await payroll.request({ acr_values: 'level-2' })).url, ada.name, ada.phone);
    const planted = as.cookies.get('__Host-nlatch-in')!;
    await as.signIn((await berths.request({ prompt: 'login' })).url, ada.name, ada.phone);
    expect(as.cookies.get('__Host-nlatch-in')).not.toBe(planted);
    const thief = visitor();
    thief.cookies.set('__Host-nlatch-in', planted);
    expect((await thief.begin((await berths.request()).url)).person).toBeNull();
  });

  it('learns by no answer of the page who exists, and by no Host or forwarded header where we are', async () => {
    const request = await berths.request();
    const seen = async (name: string) => {
      const as = visitor();
      const begun = await as.begin(request.url, name);
      const wrong = await as.prove(begun, 'password', 'not this one');
      const strip = (text: string) =>
        text.replace(/[\da-f]{8}(-[\da-f]{4}){3}-[\da-f]{12}|\d{4}-\d\d-\d\dT[\d:.]+Z/g, '…');
      const { request: _request, handle: _handle, ...rest } = begun;
      return strip(JSON.stringify([rest, { ...wrong, handle: wrong.handle?.length }]));
    };
    expect(await seen('nobody.at.all')).toBe(await seen(ada.name));
    const forged = { host: 'evil.example', 'x-forwarded-host': 'evil.example', 'x-forwarded-proto': 'https' };
    const found = (await (
      await fetch(`${inst.url}/.well-known/openid-configuration`, { headers: forged })
    ).json()) as Record<string, string>;
    expect(JSON.stringify(found)).not.toContain('evil.example');
  });
});

describe('a whole house behind one address', () => {
  it('comes to sign in at once and is not turned away; whoever guesses secrets from there is, and harms nobody', async () => {
    const { url } = await berths.request();
    const many = async (call: () => Promise<number>, times: number) => {
      const statuses: number[] = [];
      for (let i = 0; i < times; i += 40)
        statuses.push(...(await Promise.all(Array.from({ length: 40 }, async () => await call()))));
      return statuses;
    };
    const opened = await many(async () => (await fetch(url, { redirect: 'manual' })).status, 400);
    expect(new Set(opened)).toEqual(new Set([303]));
    const guessed = await many(
      async () => (await token({}, { ...clients['Berth Planner']!, secret: 'guess' })).status,
      640,
    );
    expect(guessed[0]).toBe(401);
    expect(guessed).toContain(429);
    const { request, back } = await letIn();
    expect((await berths.tokens(back, request)).claims()!.sub).toBe(ada.id);
  });
});

describe('keys that sign', () => {
  it('are renewed while clients go on, and the ones before stay known for a while', async () => {
    const keys = async () =>
      ((await (await fetch(`${inst.url}/oidc/keys`)).json()) as { keys: { kid: string; alg: string; d?: string }[] })
        .keys;
    const before = await keys();
    expect(before.map(({ alg }) => alg).sort()).toEqual(['ES256', 'RS256']);
    expect(JSON.stringify(before)).not.toMatch(/"(d|p|q|k)":/);
    const { request, back } = await letIn();
    await chore(await inst.environment(), 'keys', 'renew-signing');
    await new Promise((resolve) => setTimeout(resolve, 3_500));
    const after = await keys();
    expect(after).toHaveLength(4);
    expect((await berths.tokens(back, request)).claims()!.sub).toBe(ada.id);
    const [signing] = await inst.sql<{ n: number }>('SELECT COUNT(active_for) AS n FROM signing_keys');
    expect(signing!.n).toBe(2);
  });
});
