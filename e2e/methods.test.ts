import type { Sent } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { afterWaiting } from './support/administrators.js';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';
import { RelyingParty, Visitor } from './support/visitor.js';

type Rows = Sent<'methods.edit', 'body'>['rows'];

const PLAIN = { enrol: true, purposes: ['sign-in' as const] };
const EVERYBODY: Rows[number] = { group: null, cells: { password: PLAIN, totp: PLAIN, hotp: PLAIN } };

let inst: Installation;
let quay: string;
let crane: Awaited<ReturnType<typeof personWithApp>>;
let ada: Awaited<ReturnType<typeof personWithApp>>;
let app: Awaited<ReturnType<typeof connectedApplication>>;

beforeAll(async () => {
  inst = await Installation.start(2);
  crane = await personWithApp(inst.owner, 'crane');
  ada = await personWithApp(inst.owner, 'ada.quay');
  quay = (await inst.owner.call('groups.add', { body: { name: 'quay-crew' } })).id;
  await inst.owner.call('groups.join', { params: { id: quay, personId: crane.id } });
  app = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] });
  await publish(
    inst.owner,
    rulebookOf([
      CONSOLE,
      '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + totp] } }',
    ]),
  );
});
afterAll(async () => await inst.stop());

const set = async (rows: Rows, lockedOut = 0) => {
  const { version } = await inst.owner.call('methods.show');
  return await inst.owner.call('methods.edit', { body: { rows, lockedOut }, ifMatch: version });
};
const berths = (node = 0) => inst.client(inst.nodes[node]!.url, app.key);
const meets = async (loginName: string, claims = {}, node = 0) => {
  const begun = await berths(node).call('signIns.begin', { body: { loginName, claims } });
  if (begun.prompt?.kind !== 'password') return begun;
  return await berths(node).call('signIns.prove', {
    params: { id: begun.id },
    body: { kind: 'password', value: PASSWORD },
  });
};

describe('method settings', () => {
  it('decide what may be enrolled, and say why not, for any person and method', async () => {
    await set([{ group: quay, cells: { totp: { ...PLAIN, enrol: false } } }, EVERYBODY]);
    const enrol = async (id: string) => await inst.owner.call('totp.begin', { params: { id }, body: {} });
    await expect(enrol(crane.id)).rejects.toMatchObject({
      code: 'method-not-offered',
      problem: { facts: { method: 'totp', why: 'not-enrolled-any-more', row: 1 } },
    });
    expect((await enrol(ada.id)).codesNeeded).toBe(1);
    const { rows } = await inst.owner.call('people.methods', { params: { id: crane.id } });
    expect(rows.find(({ method }) => method === 'totp')).toMatchObject({
      enrol: false,
      why: 'not-enrolled-any-more',
      group: 'quay-crew',
      held: 1,
    });
    expect(rows.find(({ method }) => method === 'push')).toMatchObject({ enrol: false, why: 'nothing-said' });
    expect(rows.find(({ method }) => method === 'sms')).toMatchObject({ enrol: false, why: 'not-built' });
    // What they hold still serves: enrolling and using are two things.
    expect(await meets('crane')).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    await expect(inst.owner.call('groups.delete', { params: { id: quay } })).rejects.toMatchObject({
      code: 'named-by-methods',
    });
  });

  it('decide what may be used, on every node; whom that locks out is named before, and needs a second yes', async () => {
    const rows: Rows = [{ group: quay, cells: { totp: { ...PLAIN, purposes: [] } } }, EVERYBODY];
    const review = await inst.owner.call('methods.review', { body: { rows } });
    expect(review).toMatchObject({ people: 1, named: [{ displayName: 'crane', applications: ['Berth Planner'] }] });
    await expect(set(rows, 0)).rejects.toMatchObject({ code: 'count-changed' });
    await afterWaiting(inst, async () => await set(rows, 1));
    // The other node follows within this time.
    await new Promise((resolve) => setTimeout(resolve, 3_200));
    for (const node of [0, 1]) expect(await meets('crane', {}, node)).toMatchObject({ state: 'enrol-first' });
    expect(await meets('ada.quay')).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    const explained = await inst.owner.call('people.explain', {
      params: { id: crane.id },
      query: { application: app.id },
    });
    expect(explained).toMatchObject({
      barred: ['totp', 'webauthn', 'push', 'recovery', 'pass'],
      meets: { state: 'enrol-first' },
      ways: [{ servedBy: null }],
    });
    const { rows: met } = await inst.owner.call('people.meets', { params: { id: crane.id } });
    expect(met.find((one) => one.application.name === 'Berth Planner')).toMatchObject({ outcome: 'enrol-first' });
  });

  it('leave a password to applications that check it: nothing of it is kept or asked for here', async () => {
    const rows: Rows = [{ group: quay, cells: { password: { ...PLAIN, checked: 'elsewhere' } } }, EVERYBODY];
    await set(rows);
    expect(await meets('crane')).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    const vouched = await meets('crane', { passwordChecked: true });
    expect(vouched).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    const done = await berths().call('signIns.prove', {
      params: { id: vouched.id },
      body: { kind: 'code', value: crane.phone.next() },
    });
    expect(done).toMatchObject({ state: 'let-in', way: 'password + totp' });
    await expect(
      inst.owner.call('people.setPassword', { params: { id: crane.id }, body: { password: 'another one entirely' } }),
    ).rejects.toMatchObject({ problem: { facts: { why: 'checked-elsewhere' } } });
  });

  it('are refused where they cannot stand, with the place', async () => {
    const wrong: [Rows, string][] = [
      [[{ group: quay, cells: {} }], 'body.rows'],
      [[EVERYBODY, { group: quay, cells: {} }], 'body.rows[0].group'],
      [[{ group: quay, cells: {} }, { group: quay, cells: {} }, EVERYBODY], 'body.rows[1].group'],
      [[{ group: ada.id, cells: {} }, EVERYBODY], 'body.rows[0].group'],
    ];
    for (const [rows, where] of wrong)
      await expect(set(rows)).rejects.toMatchObject({ code: 'invalid-input', issues: [{ where }] });
    await expect(
      inst.owner.call('methods.edit', { body: { rows: [EVERYBODY], lockedOut: 0 }, ifMatch: 1 }),
    ).rejects.toMatchObject({ code: 'changed-meanwhile' });
    await set([EVERYBODY]);
  });
});

describe('a password', () => {
  const setPassword = async (password: string, mustChange = false) =>
    await inst.owner.call('people.setPassword', { params: { id: ada.id }, body: { password, mustChange } });

  it('is none of those that everybody has, nor a name that belongs here, with little around it', async () => {
    const { settings, version } = await inst.owner.call('settings.show');
    const password = { blockedWords: ['Kittiwake'] };
    await inst.owner.call('settings.edit', {
      body: { ...settings, organisation: 'Port of Wexmoor', password },
      ifMatch: version,
    });
    for (const weak of ['Wexmoor2026!!', 'kittiwake-99999', 'passwordpassword', '1234567890123456', 'Dragon1234567890'])
      await expect(setPassword(weak), weak).rejects.toMatchObject({
        code: 'password-weak',
        problem: { facts: { weakness: 'blocked' } },
      });
    await setPassword('a kittiwake over wexmoor');
    await set([
      { group: null, cells: { ...EVERYBODY.cells, password: { ...PLAIN, parameters: { leastLength: 30 } } } },
    ]);
    await expect(setPassword('a kittiwake over wexmoor')).rejects.toMatchObject({
      problem: { facts: { weakness: 'too-short', least: 30 } },
    });
    await set([EVERYBODY]);
  });

  it('that somebody else set is changed before anybody is let in, where that can be asked, and is refused elsewhere', async () => {
    await setPassword('set by the help desk', true);
    const begun = await berths().call('signIns.begin', { body: { loginName: 'ada.quay' } });
    const prove = async (kind: 'password' | 'code', value: string) =>
      await berths().call('signIns.prove', { params: { id: begun.id }, body: { kind, value } });
    await prove('password', 'set by the help desk');
    expect(await prove('code', ada.phone.next())).toMatchObject({ state: 'refused', reason: 'password-must-change' });

    const { connection, key } = await inst.owner.call('connections.add', {
      params: { id: app.id },
      body: { kind: 'oidc', oidc: { redirectUris: ['https://berths.wexmoor.example/in'] } },
    });
    const relying = await RelyingParty.connect(inst.url, connection.id, key, 'https://berths.wexmoor.example/in');
    const as = new Visitor(inst.url);
    const page = await as.begin((await relying.request()).url, 'ada.quay');
    await as.prove(page, 'password', 'set by the help desk');
    const asked = await as.prove(page, 'code', ada.phone.next());
    expect(asked).toMatchObject({ redirect: null, signIn: { state: 'asking', prompt: { kind: 'new-password' } } });
    for (const bad of ['short', 'set by the help desk', 'Wexmoor2026!!'])
      expect(await as.prove(page, 'new-password', bad)).toMatchObject({ code: 'password-weak' });
    const done = await as.prove(page, 'new-password', PASSWORD);
    expect(done).toMatchObject({ signIn: { state: 'let-in' } });
    expect(done.redirect).toContain('code=');
    expect(await meets('ada.quay')).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    const { steps } = await inst.owner.call('activity.show', { params: { id: page.signIn!.id } });
    expect(steps.map(({ what }) => what)).toContain('renewed');
  });
});
