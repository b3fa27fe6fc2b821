import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  connectedApplication,
  Installation,
  outcomes,
  PASSWORD,
  personWithApp,
  Phone,
} from './support/installation.js';
import { mailOf } from './support/inviting.js';
import { assertion, KeyHolders, type Begun } from './support/key-holder.js';
import { startPost, type Post } from './support/mailbox.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';
import { assertWith } from './support/security-key.js';
import { RelyingParty, Visitor } from './support/visitor.js';

const ORIGIN = 'https://latch.wexmoor.example';
let inst: Installation;
let post: Post;
let people: KeyHolders;
beforeAll(async () => {
  post = await startPost();
  inst = await Installation.start(2, { ...post.environment, NLATCH_PUBLIC_URL: ORIGIN });
  people = new KeyHolders(inst, ORIGIN, 'latch.wexmoor.example');
  await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] });
  await publish(inst.owner, rulebookOf([CONSOLE]));
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
});

const anybody = (node = 0) => createClient({ server: inst.nodes[node]!.url });
const holder = async (name: string) => {
  const person = await personWithApp(inst.owner, name, { mail: mailOf(name) });
  return { ...person, right: await people.right(name, person.phone) };
};
const signInOf = async (person: string) => {
  const { rows } = await inst.owner.call('activity.list', { query: { person, limit: 1 } });
  return rows[0]!.id;
};
/** As if the latest sign-in of somebody had been minutes before. */
const age = async (person: string, minutes: number) =>
  await inst.sql('UPDATE sign_ins SET ended_at = ended_at - INTERVAL ? MINUTE WHERE id = UNHEX(?)', [
    minutes,
    (await signInOf(person)).replaceAll('-', ''),
  ]);
const shown = async (right: string, node = 0) => await anybody(node).call('own.show', { body: { right } });
const FIREFOX = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0';
const NOBODYS = '01890000-0000-7000-8000-000000000001';
const KEY = { id: 'AA', rawId: 'AA', type: 'public-key' as const, clientExtensionResults: {} };
/** Every call that changes something by a right, as it would be sent. */
const CHANGES = {
  'own.rename': { label: 'Quay phone' },
  'own.prefer': { preferred: true },
  'own.setPin': { pin: '2580' },
  'own.remove': {},
  'own.makeRecovery': {},
} as const;
const ACTS = {
  'own.beginTotp': {},
  'own.beginWebauthn': {},
  'own.proveTotp': { codes: ['000000'] },
  'own.proveToken': { codes: ['000000'] },
  'own.proveWebauthn': {
    credential: { ...KEY, response: { clientDataJSON: 'AA', attestationObject: 'AA', transports: [] } },
  },
  'own.resync': { codes: ['000000', '000001'] },
  'own.beginTest': {},
  'own.test': { code: '000000' },
  'own.reportLost': {},
  'own.signOut': {},
  'own.forgetBrowser': {},
} as const;
/** Those of one authenticator. */
const OF_ONE_THING = [
  'own.rename',
  'own.prefer',
  'own.setPin',
  'own.remove',
  'own.beginTest',
  'own.test',
  'own.resync',
] as const;
type Act = keyof typeof CHANGES | keyof typeof ACTS;
/** Makes a call of these, whatever it is made of. */
async function make(call: Act, right: string, id = NOBODYS, node = 0): Promise<unknown> {
  const body = { right, ...({ ...CHANGES, ...ACTS } as Record<Act, object>)[call] };
  return await anybody(node).call(call as 'own.rename', {
    params: { id },
    body: body as { right: string; label: string },
  });
}

describe('looking after one’s own', () => {
  it('is named, preferred and tried, each with a notice of it, and said on the other node at once', async () => {
    const ada = await holder('ada.names');
    const { right, authenticator: id } = ada;
    await anybody().call('own.rename', { params: { id }, body: { right, label: 'Quay phone' } });
    await anybody(1).call('own.prefer', { params: { id }, body: { right, preferred: true } });
    const held = (await shown(right, 1)).held.find((one) => one.id === id)!;
    expect(held).toMatchObject({ carrier: 'Quay phone', preferred: true, suspended: false });
    await post.letter(mailOf('ada.names'), /has a new name: Quay phone/);
    await post.letter(mailOf('ada.names'), /asked for first was changed/);
    // Nothing changed, nothing told.
    await anybody().call('own.rename', { params: { id }, body: { right, label: 'Quay phone' } });
    await anybody().call('own.prefer', { params: { id }, body: { right, preferred: true } });
    const { rows } = await inst.owner.call('trail.list', { query: { person: ada.id, limit: 100 } });
    const count = (action: string) => rows.filter((row) => row.action === action).length;
    expect([count('carrier.changed'), count('authenticator.preferred')]).toEqual([1, 1]);

    expect(await anybody().call('own.beginTest', { params: { id }, body: { right } })).toEqual({ publicKey: null });
    const code = ada.phone.next();
    const test = async (typed: string, node = 0) =>
      (await anybody(node).call('own.test', { params: { id }, body: { right, code: typed } })).outcome;
    expect(await Promise.all([test(code, 0), test(code, 1)]).then((all) => all.sort())).toEqual(['right', 'used']);
    expect(await test('000000')).toBe('wrong');
  });

  it('tries a key by its signature for this test alone', async () => {
    const kay = await people.enrolled('kay.tries');
    const { authenticator: id, key } = kay;
    const right = await people.right('kay.tries', kay.phone);
    const other = await people.right('kay.tries', kay.phone);
    const { publicKey } = await anybody().call('own.beginTest', { params: { id }, body: { right } });
    const answer = (how = {}) => assertion(assertWith(key, { ...people.asked(publicKey!), signCount: 9, ...how }));
    const test = async (credential: ReturnType<typeof answer>, by = right) =>
      (await anybody(1).call('own.test', { params: { id }, body: { right: by, credential } })).outcome;
    expect(await test(answer(), other)).toBe('wrong');
    expect(await test(answer({ origin: 'https://evil.example' }))).toBe('wrong');
    expect(await test(answer())).toBe('right');
    const copied = async () =>
      (await inst.owner.call('keyring.show', { params: { id: kay.id } })).authenticators.find((one) => one.id === id)!
        .webauthn!.copied;
    expect(await copied()).toBe(false);
    // Its counter went on: the same once more is that of a copy, and somebody looks at it.
    expect(await test(answer())).toBe('wrong');
    expect(await copied()).toBe(true);
    const { rows } = await inst.owner.call('trail.list', { query: { person: kay.id } });
    expect(rows.map(({ action }) => action)).toContain('authenticator.copied');
  });

  it('is taken off where something else is left, and never the last way in; of two at once one stays', async () => {
    const ben = await holder('ben.last');
    const { right, authenticator: id } = ben;
    await expect(anybody().call('own.remove', { params: { id }, body: { right } })).rejects.toMatchObject({
      code: 'last-way',
      problem: { facts: { places: expect.stringContaining('Berth Planner') as string } },
    });
    const begun = await anybody().call('own.beginTotp', { body: { right } });
    const second = new Phone(begun.keyUri);
    const params = { id: begun.authenticator.id };
    await anybody().call('own.proveTotp', { params, body: { right, codes: [second.next()] } });
    const both = await outcomes(
      [id, params.id].map(
        async (one, node) => await anybody(node).call('own.remove', { params: { id: one }, body: { right } }),
      ),
    );
    expect(both.map((one) => (typeof one === 'string' ? one : one.left)).sort()).toEqual([2, 'last-way'].sort());
    await post.letter(mailOf('ben.last'), /taken off your keyring/);
    const { rows } = await inst.owner.call('trail.list', {
      query: { person: ben.id, action: 'authenticator.revoked' },
    });
    expect(rows).toMatchObject([{ actor: { kind: 'person', name: 'ben.last' } }]);
    expect((await shown(right)).held.filter(({ method }) => method === 'totp')).toHaveLength(1);
  });

  it('is not taken off by whoever came with a pass or a recovery code: those report it lost', async () => {
    const cal = await holder('cal.paper');
    const { codes } = await inst.owner.call('recovery.make', { params: { id: cal.id } });
    const begun = await people.begin('cal.paper');
    await people.prove(begun, { kind: 'password', value: PASSWORD });
    const { right } = await people.prove(begun, { kind: 'code', value: codes[0]! });
    const recovery = (await shown(right!)).held.find(({ method }) => method === 'recovery')!;
    for (const id of [cal.authenticator, recovery.id])
      await expect(anybody().call('own.remove', { params: { id }, body: { right: right! } })).rejects.toMatchObject({
        code: 'proof-weak',
      });
    // Whoever comes by their own factor takes the sheet off the keyring.
    const strong = await people.right('cal.paper', cal.phone);
    await anybody().call('own.remove', { params: { id: recovery.id }, body: { right: strong } });
  });

  it('takes a proof of the last minutes for what is changed: one left open does not do', async () => {
    const dot = await holder('dot.stale');
    await age(dot.id, 6);
    for (const call of Object.keys(CHANGES) as Act[])
      await expect(make(call, dot.right, dot.authenticator, 1), call).rejects.toMatchObject({ code: 'proof-old' });
    // Looking, enrolling and a loss go on for the quarter of an hour.
    expect((await shown(dot.right)).looksOnly).toBe(false);
    await anybody().call('own.beginTotp', { body: { right: dot.right } });
    const again = await people.right('dot.stale', dot.phone);
    await anybody().call('own.rename', { params: { id: dot.authenticator }, body: { right: again, label: 'Mine' } });
  });

  it('is nobody else’s, whatever is asked of it', async () => {
    const [eve, fay] = [await holder('eve.other'), await holder('fay.other')];
    for (const call of OF_ONE_THING)
      for (const id of [fay.authenticator, NOBODYS])
        await expect(make(call, eve.right, id), `${call} ${id}`).rejects.toMatchObject({ code: 'not-found' });
    const { held } = await shown(fay.right);
    expect(held.find(({ method }) => method === 'totp')).toMatchObject({
      carrier: 'Phone',
      preferred: false,
      pin: 'none',
    });
  });

  describe('as the method settings have it for a group', () => {
    let group: string;
    let before: string[];
    beforeAll(async () => {
      group = (await inst.owner.call('groups.add', { body: { name: 'quay-crew' } })).id;
      const { rows, version } = await inst.owner.call('methods.show');
      const all = rows.map((row) => ({ group: row.group, cells: row.cells }));
      before = Object.keys(all.at(-1)!.cells);
      const cell = (notBySelf: string[]) => ({
        enrol: true,
        purposes: ['sign-in', 'enrol'],
        parameters: { notBySelf },
      });
      const row = {
        group,
        cells: {
          totp: cell(['enrol', 'name', 'prefer', 'test', 'resync', 'pin', 'remove']),
          recovery: { ...cell(['enrol', 'remove']), purposes: ['enrol'] },
        },
      };
      await inst.owner.call('methods.edit', { body: { rows: [row, ...all] as never, lockedOut: 0 }, ifMatch: version });
      await new Promise((resolve) => setTimeout(resolve, 3_200));
    });

    it('does nothing by oneself that is for others to do, and says so; a loss is always one’s own to report', async () => {
      expect(before).toContain('totp');
      const [gus, hal] = [await holder('gus.quay'), await holder('hal.office')];
      await inst.owner.call('groups.join', { params: { id: group, personId: gus.id } });
      const { held, offers } = await shown(gus.right);
      expect(held.find(({ method }) => method === 'totp')!.may).toEqual([]);
      expect(offers.filter(({ why }) => why === 'not-by-oneself').map(({ method }) => method)).toEqual([
        'totp',
        'recovery',
      ]);
      for (const call of OF_ONE_THING)
        await expect(make(call, gus.right, gus.authenticator, 1), call).rejects.toMatchObject({
          code: 'not-by-oneself',
        });
      await expect(make('own.beginTotp', gus.right)).rejects.toMatchObject({ code: 'method-not-offered' });
      await expect(make('own.makeRecovery', gus.right)).rejects.toMatchObject({ code: 'method-not-offered' });
      const carrier = held.find(({ method }) => method === 'totp')!.carrierId!;
      await anybody().call('own.reportLost', { params: { id: carrier }, body: { right: gus.right } });
      expect((await shown(hal.right)).held.find(({ method }) => method === 'totp')!.may).toContain('remove');
    });
  });
});

describe('whoever is signed in by our pages', () => {
  const BACK = 'https://berths.wexmoor.example/signed-in';
  let berths: RelyingParty;
  let local: Installation;
  beforeAll(async () => {
    local = await Installation.start(2, { ...post.environment, NLATCH_TRUSTED_PROXIES: '127.0.0.1' });
    await local.owner.call('networks.add', {
      body: { name: 'port-offices', ranges: ['192.0.2.0/24'], city: 'Wexmoor', country: 'GB' },
    });
    const { id } = await local.owner.call('applications.add', { body: { name: 'Payroll' } });
    const { connection, key } = await local.owner.call('connections.add', {
      params: { id },
      body: { kind: 'oidc', oidc: { redirectUris: [BACK], endUris: [] } },
    });
    berths = await RelyingParty.connect(connection.oidc!.issuer, connection.id, key, BACK);
    await publish(local.owner, rulebookOf([CONSOLE]));
    await new Promise((resolve) => setTimeout(resolve, 3_200));
  });
  afterAll(async () => await local.stop());
  const signedIn = async (name: string) => {
    const person = await personWithApp(local.owner, name, { mail: mailOf(name) });
    const who = new Visitor(local.url);
    const asked = await berths.request();
    const url = new URL(asked.url);
    await who.signIn(`${url.pathname}${url.search}`, name, person.phone);
    return { ...person, who };
  };
  const at = (node = 0) => createClient({ server: local.nodes[node]!.url });
  const own = async (who: Visitor) => await who.post<{ right: string; loginName: string }>('/own/by-session', {});

  it('sees what they hold, and changes nothing without a proof', async () => {
    const ina = await signedIn('ina.session');
    const { right, loginName } = await own(ina.who);
    expect(loginName).toBe('ina.session');
    const seen = await at(1).call('own.show', { body: { right } });
    expect(seen).toMatchObject({ looksOnly: true, displayName: 'ina.session' });
    await at().call('own.signIns', { body: { right } });
    const { sessions } = await at(1).call('own.browsers', { body: { right } });
    expect(sessions).toHaveLength(1);
    for (const call of [...Object.keys(CHANGES), ...Object.keys(ACTS)] as Act[]) {
      const body = { right, ...({ ...CHANGES, ...ACTS } as Record<Act, object>)[call] };
      const params = { id: ina.authenticator };
      await expect(at().call(call as 'own.rename', { params, body: body as never }), call).rejects.toMatchObject({
        code: 'proof-old',
      });
    }
    await expect(at().call('own.setPassword', { body: { right, next: 'a longer one 4711' } })).rejects.toMatchObject({
      code: 'request-gone',
    });
  });

  it('sees nothing any more once it ended, on any node, with whatever was stolen before', async () => {
    const jon = await signedIn('jon.stolen');
    const { right } = await own(jon.who);
    const thief = new Visitor(local.nodes[1]!.url);
    for (const [name, value] of jon.who.cookies) thief.cookies.set(name, value);
    expect(await own(thief)).toHaveProperty('right');
    await jon.who.post('/pages/session/end', {});
    expect(await own(thief)).toMatchObject({ code: 'not-signed-in' });
    expect(await own(jon.who)).toMatchObject({ code: 'not-signed-in' });
    for (const node of [0, 1])
      await expect(at(node).call('own.show', { body: { right } })).rejects.toMatchObject({ code: 'request-gone' });
  });

  it('is not made to show it by a page of somebody else', async () => {
    const kim = await signedIn('kim.csrf');
    const answer = await kim.who.fetch('/api/v1/own/by-session', {
      method: 'POST',
      body: '{}',
      headers: { 'content-type': 'application/json', origin: 'https://evil.example' },
    });
    expect(answer.status).toBe(403);
    expect(await answer.json()).toMatchObject({ code: 'cross-site' });
    const plain = await kim.who.fetch('/api/v1/own/by-session', {
      method: 'POST',
      body: '{}',
      headers: { 'content-type': 'text/plain' },
    });
    expect(plain.status).toBe(415);
  });

  it('reads where their sign-ins came from, in words', async () => {
    const mia = await personWithApp(local.owner, 'mia.places');
    const post = async <T>(path: string, body: object): Promise<T> => {
      const headers = { 'content-type': 'application/json', 'x-forwarded-for': '192.0.2.7', 'user-agent': FIREFOX };
      const answer = await new Visitor(local.url).fetch(`/api/v1${path}`, {
        method: 'POST',
        body: JSON.stringify(body),
        headers,
      });
      return (await answer.json()) as T;
    };
    const { signIn, handle } = await post<Begun>('/own/sign-ins', { place: 'enrolment', loginName: 'mia.places' });
    const prove = async (kind: string, value: string) =>
      await post<{ right: string | null }>(`/own/sign-ins/${signIn.id}/proofs`, { kind, value, handle });
    await prove('password', PASSWORD);
    const { right } = await prove('code', mia.phone.next());
    const { rows } = await at().call('own.signIns', { body: { right: right! } });
    expect(rows[0]).toMatchObject({
      application: 'Enrolment',
      state: 'let-in',
      network: 'port-offices',
      city: 'Wexmoor',
      country: 'GB',
      browser: 'Firefox, Linux',
    });
  });
});
