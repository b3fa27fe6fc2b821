import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator, withSignature, type Administrator } from './support/administrators.js';
import { Fob } from './support/counters.js';
import { Installation, PASSWORD, personWithApp, Phone } from './support/installation.js';
import { publish, rulebookOf } from './support/rulebooks.js';

/** What a report of loss, a suspension or a deactivation takes with it. */

let inst: Installation;
let second: Administrator;
beforeAll(async () => {
  inst = await Installation.start();
  second = await administrator(inst, 'second.owner', 'owner');
});
afterAll(async () => await inst.stop());

const statesOf = async (id: string) =>
  (await inst.owner.call('keyring.show', { params: { id } })).authenticators.map(
    ({ method, state }) => `${method} ${state}`,
  );

describe('a carrier that is reported lost', () => {
  it('takes with it what was begun on it, and gives nothing back before it is found', async () => {
    const { id, authenticator } = await personWithApp(inst.owner, 'lou.loser');
    const { carriers } = await inst.owner.call('keyring.show', { params: { id } });
    const [carrier] = carriers;
    const begun = await inst.owner.call('totp.begin', { params: { id }, body: { carrier: { id: carrier!.id } } });
    const lost = await inst.owner.call('carriers.report', { params: { id: carrier!.id }, body: { state: 'lost' } });
    expect(lost).toMatchObject({ suspended: [expect.any(String)], ended: { sessions: 0, accessTokens: 0 } });
    const code = new Phone(begun.keyUri).next();
    await expect(
      inst.owner.call('totp.prove', { params: { id: begun.authenticator.id }, body: { codes: [code] } }),
    ).rejects.toMatchObject({ code: 'wrong-state' });
    expect(await statesOf(id)).toEqual(['password active', 'totp suspended', 'totp revoked']);
    const resume = () => inst.owner.call('authenticators.resume', { params: { id: authenticator } });
    await expect(resume()).rejects.toMatchObject({ problem: { code: 'wrong-state', facts: { state: 'lost' } } });
    await inst.owner.call('carriers.report', { params: { id: carrier!.id }, body: { state: 'in-hand' } });
    expect(await resume()).toMatchObject({ state: 'active' });
  });
});

describe('a deactivation', () => {
  it('takes back what was begun: unproved apps, rights to enrol, signatures that wait or were given', async () => {
    await publish(
      inst.owner,
      rulebookOf(
        ['{ rule: Own, at: { applications: [Enrolment] }, then: { ask for: [password + totp] } }'],
        '{ ask for level: 1 }',
      ),
    );
    const { id, phone } = await personWithApp(inst.owner, 'dee.active');
    const pending = await inst.owner.call('totp.begin', { params: { id }, body: {} });
    const open = createClient({ server: inst.url });
    const { signIn, handle } = await open.call('own.begin', { body: { place: 'enrolment', loginName: 'dee.active' } });
    const params = { id: signIn.id };
    await open.call('own.prove', { params, body: { handle, kind: 'password', value: PASSWORD } });
    const { right } = await open.call('own.prove', { params, body: { handle, kind: 'code', value: phone.next() } });
    expect(await open.call('own.show', { body: { right: right! } })).toBeTruthy();
    const grant = () => inst.owner.call('roles.grant', { params: { id, role: 'auditor' }, body: {} });
    const asked = (await grant().catch((error: unknown) => error)) as { problem: { facts: { request: string } } };
    const request = { params: { id: asked.problem.facts.request } };
    await second.client.call('signatures.give', request);

    await inst.owner.call('people.deactivate', { params: { id } });
    await inst.owner.call('people.reactivate', { params: { id } });
    expect(await statesOf(id)).toEqual(['password active', 'totp active', 'totp revoked']);
    await expect(
      inst.owner.call('totp.prove', {
        params: { id: pending.authenticator.id },
        body: { codes: [new Phone(pending.keyUri).next()] },
      }),
    ).rejects.toMatchObject({ code: 'wrong-state' });
    await expect(open.call('own.show', { body: { right: right! } })).rejects.toMatchObject({ code: 'request-gone' });
    expect((await inst.owner.call('signatures.show', request)).state).toBe('overtaken');
    await expect(grant()).rejects.toMatchObject({ code: 'signature-needed' });
  });

  it('is not undone by somebody who was at their own pages when another password was set', async () => {
    const { id, phone } = await personWithApp(inst.owner, 'rea.set');
    const open = createClient({ server: inst.url });
    const { signIn, handle } = await open.call('own.begin', { body: { place: 'enrolment', loginName: 'rea.set' } });
    const params = { id: signIn.id };
    await open.call('own.prove', { params, body: { handle, kind: 'password', value: PASSWORD } });
    const { right } = await open.call('own.prove', { params, body: { handle, kind: 'code', value: phone.next() } });
    await inst.owner.call('people.setPassword', { params: { id }, body: { password: 'set by the desk today' } });
    await expect(
      open.call('own.beginTotp', {
        body: { right: right!, carrier: 'phone' },
      }),
    ).rejects.toMatchObject({ code: 'request-gone' });
  });
});

describe('a token in stock', () => {
  it('of an administrator is moved on by owners alone, with another’s yes', async () => {
    const custodian = await administrator(inst, 'stock.custodian', 'custodian');
    const { id } = await administrator(inst, 'fob.auditor', 'auditor');
    const fob = new Fob('ZZ-9001');
    const tokenId = await withSignature(second.client, async () => {
      const there = (await inst.owner.call('stock.list', { query: { q: 'ZZ9001' } })).rows[0]?.id;
      const token =
        there ??
        (
          await inst.owner.call('stock.add', {
            body: { serial: fob.serial, method: 'hotp', secret: fob.hex, encoding: 'hex' },
          })
        ).id;
      await inst.owner.call('tokens.assign', { params: { id, tokenId: token } });
      return token;
    });
    await inst.owner.call('tokens.prove', { params: { id, tokenId }, body: { codes: [fob.press(), fob.press()] } });
    const move = { params: { id: tokenId }, body: { to: 'lost' as const } };
    await expect(custodian.client.call('stock.move', move)).rejects.toMatchObject({ code: 'owners-only' });
    expect(await statesOf(id)).toContain('hotp active');
    await withSignature(second.client, () => inst.owner.call('stock.move', move));
    expect(await statesOf(id)).toContain('hotp revoked');
  });
});
