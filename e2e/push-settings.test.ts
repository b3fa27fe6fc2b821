import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { nlatchWithin } from './support/client.js';
import { connectedApplication, Installation } from './support/installation.js';
import { askByPush, followed, type Holder, holderOf } from './support/phones.js';

let inst: Installation;
let keys: Record<'berths' | 'gate', string>;
let holders: Record<'dockhand' | 'harbour.master' | 'somebody', Holder>;

const nlatch = async (...args: string[]) =>
  await nlatchWithin(args, {
    env: { PATH: process.env['PATH'], NLATCH_SERVER: inst.url, NLATCH_TOKEN: inst.ownerToken },
  });

beforeAll(async () => {
  inst = await Installation.start();
  keys = {
    berths: (await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] })).key,
    gate: (await connectedApplication(inst.owner, 'Gate')).key,
  };
  await askByPush(inst.owner, [
    '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + push] } }',
    '{ rule: Gate, at: { applications: [Gate] }, then: { ask for: [push] } }',
  ]);
  const group = await inst.owner.call('groups.add', { body: { name: 'crew' } });
  holders = {
    dockhand: await holderOf(inst, 'dockhand'),
    'harbour.master': await holderOf(inst, 'harbour.master'),
    somebody: await holderOf(inst, 'somebody'),
  };
  for (const { id } of [holders.dockhand, holders['harbour.master']])
    await inst.owner.call('groups.join', { params: { id: group.id, personId: id } });
  await inst.sql(
    "INSERT INTO role_grants (person_id, role, granted_at) SELECT person_id, 'helpdesk', NOW(3) FROM login_names WHERE value = 'harbour.master'",
  );
  const set = ['method', 'set', 'crew', 'push', '--number', 'not-typed', '--life', '45', '--most-phones', '1', '--yes'];
  const done = await nlatch(...set);
  expect([done.code, done.out]).toEqual([0, expect.stringContaining('Changed the method settings')]);
  await followed();
});
afterAll(async () => await inst.stop());

const at = (application: keyof typeof keys) => inst.client(inst.url, keys[application]);
async function begin(application: keyof typeof keys, loginName: string) {
  await inst.sql('DELETE FROM push_requests');
  return await at(application).call('signIns.begin', {
    body: {
      loginName,
      carries: ['password', 'wait'],
      ...(application === 'berths' ? { claims: { passwordChecked: true as const } } : {}),
    },
  });
}

describe('phones of a group', () => {
  it('are asked for a tap alone where something else was proved, and for the number of whoever administers', async () => {
    const { dockhand, somebody, 'harbour.master': master } = holders;
    const plain = await begin('berths', dockhand.loginName);
    expect(plain.prompt).toMatchObject({ kind: 'wait', number: null });
    const [request] = (await dockhand.phone.fetch()).requests;
    expect(request).toMatchObject({ asksNumber: false });
    expect(await dockhand.phone.answer(request!, 'approve')).toBe('taken');
    const look = await at('berths').call('signIns.prove', { params: { id: plain.id }, body: { kind: 'wait' } });
    expect(look.state).toBe('let-in');
    for (const { loginName, phone } of [somebody, master]) {
      const compared = await begin('berths', loginName);
      expect(compared.prompt!.number).toMatch(/^\d\d$/);
      const [asked] = (await phone.fetch()).requests;
      expect(asked).toMatchObject({ asksNumber: true });
      expect(await phone.answer(asked!, 'approve')).toBe('wrong-number');
      expect(await phone.answer(asked!, 'approve', compared.prompt!.number!)).toBe('taken');
    }
  });

  it('compare it for everybody as long as nothing is proved: nobody learns of whom something is said', async () => {
    for (const loginName of ['dockhand', 'somebody', 'nobody.at.all'])
      expect((await begin('gate', loginName)).prompt).toMatchObject({
        kind: 'wait',
        number: expect.any(String) as string,
      });
  });

  it('are asked for as long as is said, and are as many', async () => {
    const lasts = async ({ loginName, phone }: Holder) => {
      await begin('berths', loginName);
      const { now, requests } = await phone.fetch();
      return (Date.parse(requests[0]!.until) - Date.parse(now)) / 1_000;
    };
    expect(await lasts(holders.dockhand)).toBeGreaterThan(40);
    expect(await lasts(holders.dockhand)).toBeLessThanOrEqual(45);
    expect(await lasts(holders.somebody)).toBeGreaterThan(60);
    const more = async ({ right }: Holder) =>
      await createClient({ server: inst.url }).call('own.beginPush', { body: { right } });
    await expect(more(holders.dockhand)).rejects.toMatchObject({
      problem: { code: 'limit-reached', facts: { limit: 1 } },
    });
    expect((await more(holders.somebody)).link).toContain('/pocket/#');
  });

  it('say so in the settings, which take nothing else', async () => {
    const shown = (await nlatch('method', 'show')).out;
    expect(shown).toMatch(
      /crew +push .*number not-typed.*life 45.*mostPhones 1|number not-typed, life 45, mostPhones 1/s,
    );
    expect((await nlatch('method', 'set', 'crew', 'totp', '--life', '45', '--yes')).err).toContain('not said of totp');
    for (const [option, value] of [
      ['--life', '29'],
      ['--life', '181'],
      ['--most-phones', '0'],
      ['--most-phones', '11'],
      ['--number', 'maybe'],
    ])
      expect([option, value, (await nlatch('method', 'set', 'crew', 'push', option!, value!, '--yes')).code]).toEqual([
        option,
        value,
        2,
      ]);
    expect((await nlatch('method', 'set', 'crew', 'push', '--number', 'typed', '--yes')).code).toBe(0);
    await followed();
    expect((await begin('berths', 'dockhand')).prompt!.number).toMatch(/^\d\d$/);
  });
});
