import { afterAll, beforeAll, expect, it } from 'vitest';
import { administrator } from './support/administrators.js';
import { connectedApplication, Installation, PASSWORD, personWithApp, Phone } from './support/installation.js';

/** One sealed value that does not open any more (a disk, a hand in the database) costs nothing but itself. */

let inst: Installation;
beforeAll(async () => {
  // There is nobody at that port: what is queued stays queued.
  inst = await Installation.start(1, {
    NLATCH_SMTP_URL: 'smtp://127.0.0.1:9',
    NLATCH_MAIL_FROM: 'latch@wexmoor.example',
  });
});
afterAll(async () => await inst.stop());

const spoil = async (table: string, column: string, id: string) =>
  await inst.sql(
    `UPDATE ${table} SET ${column} = CONCAT(LEFT(${column}, LENGTH(${column}) - 1), '!') WHERE id = UNHEX(?)`,
    [id.replaceAll('-', '')],
  );

it('an app whose key is spoilt lets nobody in, and the one beside it does', async () => {
  const ada = await personWithApp(inst.owner, 'ada.quay');
  const begun = await inst.owner.call('totp.begin', { params: { id: ada.id }, body: {} });
  const second = new Phone(begun.keyUri);
  await inst.owner.call('totp.prove', { params: { id: begun.authenticator.id }, body: { codes: [second.next()] } });
  await spoil('authenticators', 'secret_sealed', ada.authenticator);
  const at = inst.client(inst.url, (await connectedApplication(inst.owner, 'Berth Planner')).key);
  const enter = async (code: string) => {
    const { id } = await at.call('signIns.begin', { body: { loginName: 'ada.quay' } });
    await at.call('signIns.prove', { params: { id }, body: { kind: 'password', value: PASSWORD } });
    return await at.call('signIns.prove', { params: { id }, body: { kind: 'code', value: code } });
  };
  expect(await enter(ada.phone.next())).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
  expect(await enter(second.next())).toMatchObject({ state: 'let-in' });
  expect(inst.logs()).toContain('a sealed value does not open');
});

it('an address that is spoilt is missing until it is written again, and keeps nobody from anything', async () => {
  const mail = 'bea@wexmoor.example';
  const body = { displayName: 'Bea', loginNames: ['bea'], mail };
  const { id } = await inst.owner.call('people.add', { body });
  await spoil('persons', 'mail_sealed', id);
  const shown = await inst.owner.call('people.show', { params: { id } });
  expect(shown).toMatchObject({ displayName: 'Bea', mail: null });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  const edited = await inst.owner.call('people.edit', { params: { id }, body: { mail }, ifMatch: shown.version });
  expect(edited).toMatchObject({ mail });
  // An owner's, where every owner is written to.
  const other = await administrator(inst, 'other.owner', 'owner');
  const { version } = await inst.owner.call('people.show', { params: { id: other.id } });
  await inst.owner.call('people.edit', { params: { id: other.id }, body: { mail }, ifMatch: version });
  await spoil('persons', 'mail_sealed', other.id);
  await expect(inst.owner.call('roles.grant', { params: { id, role: 'auditor' }, body: {} })).rejects.toMatchObject({
    code: 'signature-needed',
  });
});
