import type { Answer, Sent } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let ada: Awaited<ReturnType<typeof personWithApp>>;
let plain: string;
const apps: Record<string, Awaited<ReturnType<typeof connectedApplication>>> = {};
const inDays = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);

beforeAll(async () => {
  inst = await Installation.start();
  ada = await personWithApp(inst.owner, 'ada.quay');
  const person = await inst.owner.call('people.add', { body: { displayName: 'Plain', loginNames: ['plain'] } });
  plain = person.id;
  await inst.owner.call('people.setPassword', { params: { id: plain }, body: { password: PASSWORD } });
  const group = await inst.owner.call('groups.add', { body: { name: 'contractors' } });
  const whole = await inst.owner.call('groups.add', { body: { name: 'outsiders' } });
  await inst.owner.call('groups.addPart', { params: { id: whole.id, partId: group.id } });
  await inst.owner.call('groups.join', { params: { id: group.id, personId: plain } });
  await inst.owner.call('networks.add', { body: { name: 'tower', ranges: ['10.1.0.0/16'], country: 'GB' } });
  for (const name of ['Payroll', 'Vessel Traffic', 'Berth Planner', 'Vault'])
    apps[name] = await connectedApplication(inst.owner, name, { claims: ['source-address', 'password-checked'] });
  await publish(
    inst.owner,
    rulebookOf([
      CONSOLE,
      '{ rule: Tower, at: { applications: [Vessel Traffic] }, from: { networks: [tower] }, then: let in }',
      '{ rule: No outsiders, who: { groups: [outsiders] }, at: { applications: [Vessel Traffic] }, then: refuse }',
      `{ rule: Trial, at: { applications: [Payroll] }, state: on trial until ${inDays(3)}, then: refuse }`,
      `{ rule: Wages, at: { applications: [Payroll] }, then: { ask for: [password + totp] }, grace: { days: 14, last day: ${inDays(5)} } }`,
      '{ rule: Three, at: { applications: [Vault] }, then: { ask whoever has one: [password + totp + pass] } }',
      '{ rule: Either, at: { applications: [Berth Planner] }, then: { ask for: [password + totp, totp] } }',
    ]),
  );
});
afterAll(async () => await inst.stop());

const app = (at: string) => inst.client(inst.url, apps[at]!.key);
const begin = async (at: string, loginName: string, claims: Sent<'signIns.begin', 'body'>['claims'] = {}) =>
  await app(at).call('signIns.begin', { body: { loginName, claims } });
const prove = async (at: string, { id }: { id: string }, kind: 'password' | 'code' | 'choose', value: string) =>
  await app(at).call('signIns.prove', { params: { id }, body: { kind, value } });
const withPassword = async (at: string, loginName: string, claims?: Parameters<typeof begin>[2]) =>
  await prove(at, await begin(at, loginName, claims), 'password', PASSWORD);
const explain = async (id: string, at: string, more: object = {}) =>
  await inst.owner.call('people.explain', { params: { id }, query: { application: apps[at]!.id, ...more } });

/** What an outsider sees before anything is proved. */
const seen = ({ id: _id, expiresAt: _at, ...rest }: Answer<'signIns.begin'>) => JSON.stringify(rest);

describe('a rule that asks whoever has one', () => {
  it('asks for all of a way that somebody holds, and of whoever does not for the password alone', async () => {
    const { id, phone } = await personWithApp(inst.owner, 'trio');
    const one = await withPassword('Vault', 'trio');
    // An app alone is not what the way asks for.
    expect(one).toMatchObject({ state: 'let-in', way: 'password' });
    const { code } = await inst.owner.call('passes.give', {
      params: { id },
      body: { reason: 'a third proof', uses: 5, untilFactor: false },
    });
    for (const order of [1, -1]) {
      const asked = await withPassword('Vault', 'trio');
      const values = [phone.next(), code];
      const [first, last] = order === 1 ? values : values.reverse();
      const half = await prove('Vault', asked, 'code', first!);
      expect([order, half.state, half.prompt?.kind]).toEqual([order, 'asking', 'code']);
      expect((await prove('Vault', asked, 'code', last!)).state).toBe('let-in');
    }
  });
});

describe('a sign-in goes by the rulebook', () => {
  it('by where it comes from: one proof from the tower, two from anywhere else', async () => {
    const inside = await withPassword('Vessel Traffic', 'ada.quay', { sourceAddress: '10.1.2.3' });
    expect(inside).toMatchObject({ state: 'let-in', way: 'password' });
    const outside = await withPassword('Vessel Traffic', 'ada.quay', { sourceAddress: '10.2.2.3' });
    expect(outside).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    expect(await prove('Vessel Traffic', outside, 'code', ada.phone.next())).toMatchObject({ state: 'let-in' });
    const story = async (id: string) => await inst.owner.call('activity.show', { params: { id } });
    expect(await story(inside.id)).toMatchObject({ rule: 'Tower', version: 1 });
    expect(await story(outside.id)).toMatchObject({ rule: null, version: 1 });
  });

  it('by who it is, through whole groups; and tells nobody that a rule refuses them before they have proved who they are', async () => {
    const [refused, unknown, other] = await Promise.all(
      ['plain', 'nobody.there', 'ada.quay'].map(async (name) => await begin('Vessel Traffic', name)),
    );
    expect(seen(refused!)).toBe(seen(unknown!));
    expect(seen(other!)).toBe(seen(unknown!));
    expect(await prove('Vessel Traffic', refused!, 'password', 'not it at all')).toMatchObject({
      state: 'asking',
      reason: 'wrong-proof',
    });
    expect(await prove('Vessel Traffic', refused!, 'password', PASSWORD)).toMatchObject({
      state: 'refused',
      reason: 'refused-by-rule',
    });
  });

  it('lets whoever has nothing to prove with in for days of grace that begin when they are first asked', async () => {
    const first = await withPassword('Payroll', 'plain');
    expect(first).toMatchObject({ state: 'let-in', reason: 'grace', way: 'password' });
    // The last day for all comes before fourteen days are over.
    expect(first.graceUntil).toBe(`${inDays(6)}T00:00:00.000Z`);
    await inst.sql('UPDATE graces SET begun_at = begun_at - INTERVAL 13 DAY');
    const left = Date.parse((await withPassword('Payroll', 'plain')).graceUntil!) - Date.now();
    expect(left / 86_400_000).toBeGreaterThan(0.9);
    expect(left / 86_400_000).toBeLessThan(1);
    await inst.sql('UPDATE graces SET begun_at = begun_at - INTERVAL 1 DAY');
    expect(await withPassword('Payroll', 'plain')).toMatchObject({ state: 'enrol-first', graceUntil: null });
    // Where the application has checked the password, the same.
    expect(await begin('Payroll', 'plain', { passwordChecked: true })).toMatchObject({ state: 'enrol-first' });
  });

  it('asks everybody the same first, and fails and pauses alike, whoever exists and whatever they hold', async () => {
    const names = ['plain', 'nobody.there', 'ada.quay'];
    const begun = await Promise.all(names.map(async (name) => await begin('Berth Planner', name)));
    expect(new Set(begun.map(seen)).size).toBe(1);
    /** What five wrong codes and then a wrong password bring. */
    const course = async (signIn: Answer<'signIns.begin'>, name: string) => {
      const met: string[] = [];
      await prove('Berth Planner', signIn, 'choose', 'totp');
      for (let i = 0; i < 4; i++) met.push(seen(await prove('Berth Planner', signIn, 'code', '000000')));
      const next = await begin('Berth Planner', name);
      await prove('Berth Planner', next, 'choose', 'totp');
      for (let i = 0; i < 2; i++) {
        const { reason, retryAt } = await prove('Berth Planner', next, 'code', '000000');
        met.push(`${reason} ${retryAt !== null}`);
      }
      await prove('Berth Planner', next, 'choose', 'password');
      met.push(String((await prove('Berth Planner', next, 'password', 'not it at all')).reason));
      return met;
    };
    const [plainly, nobody, really] = await Promise.all(begun.map(async (one, i) => await course(one, names[i]!)));
    expect(plainly).toEqual(nobody);
    expect(really).toEqual(nobody);
    expect(nobody!.slice(-2)).toEqual(['throttled true', 'wrong-proof']);
    await inst.owner.call('authenticators.unlock', { params: { id: ada.authenticator } });
  });

  it('offers another way where there is one, and takes it', async () => {
    const begun = await begin('Berth Planner', 'ada.quay');
    expect(begun.prompt).toEqual({
      kind: 'password',
      methods: ['password'],
      others: [{ kind: 'code', methods: ['totp'] }],
    });
    await expect(prove('Berth Planner', begun, 'choose', 'webauthn')).rejects.toMatchObject({ code: 'invalid-input' });
    const chosen = await prove('Berth Planner', begun, 'choose', 'totp');
    expect(chosen.prompt).toMatchObject({ kind: 'code', others: [{ kind: 'password' }] });
    await expect(prove('Berth Planner', chosen, 'password', PASSWORD)).rejects.toMatchObject({ code: 'invalid-input' });
    expect(await prove('Berth Planner', chosen, 'code', ada.phone.next())).toMatchObject({
      state: 'let-in',
      way: 'totp',
    });
  });
});

describe('an explanation', () => {
  it('tells every rule with each of its conditions, what serves, and what happens', async () => {
    const told = await explain(ada.id, 'Payroll', { sourceAddress: '10.1.2.3' });
    expect(told).toMatchObject({
      decidedBy: 'Wages',
      trial: 'Trial',
      networks: ['tower'],
      version: 1,
      meets: { state: 'let-in' },
    });
    expect(told.rules.map(({ rule, standing }) => [rule.name, standing])).toEqual([
      ['Console', 'does-not-apply'],
      ['Tower', 'does-not-apply'],
      ['No outsiders', 'does-not-apply'],
      ['Trial', 'would-decide'],
      ['Wages', 'decides'],
      ['Three', 'does-not-apply'],
      ['Either', 'does-not-apply'],
    ]);
    expect(told.rules[1]!.conditions).toEqual([
      { kind: 'applications', holds: false },
      { kind: 'networks', holds: true },
    ]);
    expect(told.ways).toMatchObject([
      { way: 'password + totp', level: 2, servedBy: [{ method: 'password' }, { method: 'totp' }] },
    ]);
    const other = await explain(plain, 'Vessel Traffic');
    expect(other).toMatchObject({ decidedBy: 'No outsiders', meets: { state: 'refused', reason: 'refused-by-rule' } });
  });

  it('of a past sign-in goes by what was known then, and beside it what it would meet now', async () => {
    const past = await withPassword('Vessel Traffic', 'plain', { sourceAddress: '192.0.2.1' });
    const [group] = (await inst.owner.call('groups.list', { query: { q: 'contractors' } })).rows;
    await inst.owner.call('groups.leave', { params: { id: group!.id, personId: plain } });
    const both = await inst.owner.call('activity.explain', { params: { id: past.id } });
    expect(both.then).toMatchObject({ decidedBy: 'No outsiders', sourceAddress: '192.0.2.1' });
    expect(both.now).toMatchObject({ decidedBy: null, meets: { state: 'enrol-first' } });
    const decided = (await inst.owner.call('activity.show', { params: { id: past.id } })).rule;
    expect(both.then.decidedBy).toBe(decided);
  });

  it('can be had of the draft before anything of it is in force', async () => {
    await expect(explain(ada.id, 'Payroll', { draft: 'true' })).rejects.toMatchObject({ code: 'draft-missing' });
    const { version } = await inst.owner.call('rulebookDraft.show');
    await inst.owner.call('rulebookDraft.save', { body: { text: rulebookOf([], 'refuse') }, ifMatch: version });
    expect(await explain(ada.id, 'Payroll', { draft: 'true' })).toMatchObject({
      version: 2,
      meets: { state: 'refused' },
    });
    expect(await explain(ada.id, 'Payroll')).toMatchObject({ version: 1, meets: { state: 'let-in' } });
  });
});

describe('a screen that is unlocked', () => {
  it('takes one proof by a rule that asks once a session, where somebody signed in, if the application may say so', async () => {
    await publish(
      inst.owner,
      rulebookOf(
        [
          CONSOLE,
          '{ rule: Screens, at: { applications: [Berth Planner] }, then: { ask for: [password + totp] }, once a session: true }',
        ],
        'let in',
      ),
    );
    const unlock = { unlock: true } as const;
    const { version } = (await inst.owner.call('applications.show', { params: { id: apps['Berth Planner']!.id } }))
      .connections[0]!;
    expect((await withPassword('Berth Planner', 'ada.quay', unlock)).ignoredClaims).toEqual(['unlock']);
    await inst.owner.call('connections.edit', {
      params: { id: apps['Berth Planner']!.connection },
      body: { claims: ['unlock'] },
      ifMatch: version,
    });
    await new Promise((resolve) => setTimeout(resolve, 3_200));
    await inst.sql('DELETE FROM sign_ins');
    // Nobody has signed in there by now.
    const first = await withPassword('Berth Planner', 'ada.quay', unlock);
    expect(first).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    expect(await prove('Berth Planner', first, 'code', ada.phone.next())).toMatchObject({ state: 'let-in' });
    expect(await withPassword('Berth Planner', 'ada.quay', unlock)).toMatchObject({ state: 'let-in', way: 'password' });
    expect(await withPassword('Berth Planner', 'ada.quay')).toMatchObject({
      state: 'asking',
      prompt: { kind: 'code' },
    });
    // Unlocking does not make the session longer.
    await inst.sql("DELETE FROM sign_ins WHERE JSON_VALUE(data, '$.requirement.unlock') IS NULL");
    expect(await withPassword('Berth Planner', 'ada.quay', unlock)).toMatchObject({ state: 'asking' });
  });
});
