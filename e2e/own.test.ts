import type { Sent } from '@nimble-latch/api';
import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { afterWaiting } from './support/administrators.js';
import {
  connectedApplication,
  Installation,
  outcomes,
  PASSWORD,
  personWithApp,
  Phone,
} from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let ada: Awaited<ReturnType<typeof personWithApp>>;
const anybody = (node = 0) => createClient({ server: inst.nodes[node]!.url });
const HOUSE = '{ rule: In the house, at: { applications: [Enrolment] }, from: { networks: [house] }, then: let in }';
const LAX = '{ rule: Lax, then: let in, grace: { days: 30, last day: 2099-01-01 } }';

beforeAll(async () => {
  inst = await Installation.start(2);
  ada = await personWithApp(inst.owner, 'ada.quay');
});
afterAll(async () => await inst.stop());

const add = async (loginName: string) => {
  const { id } = await inst.owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  return id;
};
const begin = async (place: Sent<'own.begin', 'body'>['place'], loginName: string) =>
  await anybody().call('own.begin', { body: { place, loginName } });
const prove = async (begun: Awaited<ReturnType<typeof begin>>, kind: 'password' | 'code', value: string, node = 0) =>
  await anybody(node).call('own.prove', {
    params: { id: begun.signIn.id },
    body: { kind, value, handle: begun.handle },
  });
const byPassword = async (loginName: string) => await prove(await begin('enrolment', loginName), 'password', PASSWORD);

describe('enrolling something oneself', () => {
  it('is never opened by a password alone, nor by a rule that does not name the place', async () => {
    await add('plain');
    await publish(inst.owner, rulebookOf([CONSOLE, LAX], '{ ask whoever has one: [password + totp] }'));
    expect(await byPassword('plain')).toMatchObject({ right: null, signIn: { state: 'enrol-first' } });
    const applications = await inst.sql<{ id: string }>(
      "SELECT LOWER(INSERT(INSERT(INSERT(INSERT(HEX(id), 21, 0, '-'), 17, 0, '-'), 13, 0, '-'), 9, 0, '-')) AS id FROM applications WHERE name = 'Enrolment'",
    );
    const { outcome, decidedBy } = await inst.owner.call('people.explain', {
      params: { id: ada.id },
      query: { application: applications[0]!.id },
    });
    expect({ outcome, decidedBy }).toEqual({ outcome: { kind: 'level', level: 2 }, decidedBy: 'Lax' });
    const second = await byPassword('ada.quay');
    expect(second).toMatchObject({ right: null, signIn: { prompt: { kind: 'code' } } });
  });

  it('looks the same from outside, whoever asks', async () => {
    const seen = async (loginName: string) => {
      const { signIn } = await begin('enrolment', loginName);
      const { id: _id, expiresAt: _at, ...rest } = signIn;
      return JSON.stringify(rest);
    };
    const reset = async (loginName: string) => {
      const { signIn } = await begin('password-reset', loginName);
      return JSON.stringify(signIn.prompt);
    };
    expect(new Set(await Promise.all(['plain', 'ada.quay', 'nobody.at.all'].map(seen))).size).toBe(1);
    expect(new Set(await Promise.all(['plain', 'ada.quay', 'nobody.at.all'].map(reset))).size).toBe(1);
  });

  it('from a place that a rule names takes one proof; what is enrolled works at once, on every node', async () => {
    const id = await add('bram.oster');
    await inst.owner.call('networks.add', { body: { name: 'house', ranges: ['127.0.0.0/8'] } });
    await publish(inst.owner, rulebookOf([CONSOLE, HOUSE]));
    await expect.poll(async () => (await byPassword('bram.oster')).signIn.state).toBe('let-in');
    const right = (await byPassword('bram.oster')).right!;
    const shown = await anybody().call('own.show', { body: { right } });
    expect(shown).toMatchObject({
      displayName: 'bram.oster',
      offers: [
        { method: 'totp', enrol: true, why: null },
        { method: 'webauthn', enrol: true, why: null },
        { method: 'push', enrol: false, why: 'nothing-said' },
        { method: 'recovery', enrol: true, why: null },
      ],
    });
    expect(shown.held.map(({ method }) => method)).toEqual(['password']);
    const begun = await anybody().call('own.beginTotp', { body: { right, carrier: 'Bram’s phone' } });
    const proving = async (by: string, codes: string[], node = 1) =>
      await anybody(node).call('own.proveTotp', {
        params: { id: begun.authenticator.id },
        body: { right: by, codes },
      });
    const phone = new Phone(begun.keyUri);
    await expect(proving(right, [phone.at(-7_200)])).rejects.toMatchObject({ code: 'clock-off' });
    // Somebody else’s right proves nothing of it.
    await add('carl');
    const other = (await byPassword('carl')).right!;
    await expect(proving(other, [phone.next()])).rejects.toMatchObject({ code: 'not-found' });
    await expect(proving(`${right.slice(0, -6)}AAAAAA`, ['000000'])).rejects.toMatchObject({ code: 'request-gone' });
    expect(await proving(right, [phone.next()])).toEqual({ label: 'Authenticator app' });
    const app = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] });
    const client = inst.client(inst.nodes[1]!.url, app.key);
    const beginThere = async () =>
      await client.call('signIns.begin', { body: { loginName: 'bram.oster', claims: { passwordChecked: true } } });
    // The other node follows what was published within its bound.
    await expect.poll(async () => (await beginThere()).state).toBe('asking');
    const signIn = await beginThere();
    const proof = { kind: 'code' as const, value: phone.next() };
    expect(await client.call('signIns.prove', { params: { id: signIn.id }, body: proof })).toMatchObject({
      state: 'let-in',
    });
    const { rows } = await inst.owner.call('trail.list', { query: { person: id, action: 'authenticator.proved' } });
    expect(rows[0]).toMatchObject({ actor: { kind: 'person', name: 'bram.oster' }, origin: '127.0.0.1' });
    // A right ends with its person, and with what is found out about its sign-in.
    await inst.owner.call('people.deactivate', { params: { id } });
    await expect(anybody().call('own.beginTotp', { body: { right } })).rejects.toMatchObject({ code: 'request-gone' });
    const carls = await inst.owner.call('activity.list', { query: { state: 'let-in', limit: 1 } });
    await inst.owner.call('activity.judge', { params: { id: carls.rows[0]!.id }, body: { verdict: 'confirmed' } });
    const fresh = (await byPassword('carl')).right!;
    expect((await anybody().call('own.show', { body: { right: fresh } })).displayName).toBe('carl');
  });

  it('is not for emergency accounts, which only owners change', async () => {
    const id = await add('emergency');
    const mark = async () =>
      await inst.owner.call('people.markEmergency', { params: { id }, body: { emergency: true } });
    await afterWaiting(inst, mark);
    await expect(byPassword('emergency')).rejects.toMatchObject({ code: 'owners-only' });
  });
});

describe('a password that was forgotten', () => {
  const reset = async (right: string, next: string) =>
    await anybody().call('own.setPassword', { body: { right, next } });

  it('is replaced by what the method settings and a rule allow, and by nothing otherwise; once', async () => {
    expect((await begin('password-reset', 'ada.quay')).signIn).toMatchObject({ state: 'refused', prompt: null });
    const code = async () => {
      const begun = await begin('password-reset', 'ada.quay');
      expect(begun.signIn.prompt).toMatchObject({ kind: 'code', methods: ['totp'] });
      return await prove(begun, 'code', ada.phone.next());
    };
    const { rows, version } = await inst.owner.call('methods.show');
    await inst.owner.call('methods.edit', {
      body: {
        rows: rows.map(({ group, cells }) => ({
          group,
          cells: { ...cells, totp: { ...cells.totp!, purposes: ['sign-in', 'enrol', 'reset'] } },
        })),
        lockedOut: 0,
      },
      ifMatch: version,
    });
    await expect.poll(async () => (await begin('password-reset', 'ada.quay')).signIn.state).toBe('asking');
    expect(await code()).toMatchObject({ right: null, signIn: { state: 'enrol-first' } });
    const rule = '{ rule: Forgotten, at: { applications: [Password reset] }, then: { ask for: [totp] } }';
    await publish(inst.owner, rulebookOf([CONSOLE, rule, HOUSE]));
    const { right } = await code();
    await expect(anybody().call('own.show', { body: { right: right! } })).rejects.toMatchObject({
      code: 'request-gone',
    });
    await expect(reset(right!, 'password1234')).rejects.toMatchObject({ code: 'password-weak' });
    const next = 'nine herons on the breakwater';
    const both = await outcomes([reset(right!, next), reset(right!, next)]);
    expect(both.sort()).toEqual([null, 'request-gone']);
    const begun = await begin('enrolment', 'ada.quay');
    expect((await prove(begun, 'password', PASSWORD)).signIn.reason).toBe('wrong-proof');
    expect((await prove(begun, 'password', next)).signIn.state).toBe('let-in');
    const { rows: trail } = await inst.owner.call('trail.list', { query: { person: ada.id, action: 'password.set' } });
    expect(trail[0]).toMatchObject({ actor: { name: 'ada.quay' }, details: { reset: true } });
  });
});

describe('a draft', () => {
  it('is told what it opens to one proof, and what an application could never show', async () => {
    await inst.owner.call('applications.add', { body: { name: 'Payroll' } });
    const payroll = (await inst.owner.call('applications.list', { query: { q: 'Payroll' } })).rows[0]!;
    await inst.owner.call('connections.add', {
      params: { id: payroll.id },
      body: { kind: 'oidc', oidc: { redirectUris: ['https://pay.wexmoor.example/in'] } },
    });
    const text = rulebookOf([
      '{ rule: Open, at: { applications: [Enrolment] }, then: { ask whoever has one: [password + totp] } }',
      '{ rule: Wages, at: { applications: [Payroll, Berth Planner] }, then: { ask for: [password + certificate] } }',
      HOUSE,
    ]);
    const { findings } = await inst.owner.call('rulebook.check', { body: { text } });
    const told = findings.map(({ what, rule, facts }) => ({ what, rule, facts }));
    expect(told).toContainEqual({ what: 'enrols-by-one-proof', rule: 'Open', facts: { name: 'Enrolment' } });
    expect(told.filter(({ what }) => what === 'enrols-by-one-proof')).toHaveLength(1);
    const way = 'password + certificate';
    expect(told.filter(({ what }) => what === 'not-carried')).toEqual([
      { what: 'not-carried', rule: 'Wages', facts: { application: 'Berth Planner', way } },
      { what: 'not-carried', rule: 'Wages', facts: { application: 'Payroll', way } },
    ]);
  });
});
