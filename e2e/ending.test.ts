import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator, tokenOf, withSignature, type Administrator } from './support/administrators.js';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';

/** What is ended is ended in the transaction that ends it, on every node at once. */

let inst: Installation;
let second: Administrator;
beforeAll(async () => {
  inst = await Installation.start(2);
  second = await administrator(inst, 'second.owner', 'owner');
});
afterAll(async () => await inst.stop());

/** A client of the other node. */
const elsewhere = (token: string) => inst.client(inst.nodes[1]!.url, token);
const GONE = { problem: { code: 'not-signed-in' } };

describe('an access token', () => {
  it('passes on no more than it has: nothing that lives longer, nothing that may do more', async () => {
    const { token, accessToken } = await inst.owner.call('accessTokens.add', { body: { label: 'short', hours: 1 } });
    const made = await elsewhere(token).call('accessTokens.add', { body: { label: 'long', hours: 8_784 } });
    expect(Date.parse(made.accessToken.expiresAt)).toBeLessThanOrEqual(Date.parse(accessToken.expiresAt));

    const permissions = ['person.read', 'access-token.own'] as const;
    const narrow = await elsewhere(token).call('accessTokens.add', {
      body: { label: 'looks', permissions: [...permissions] },
    });
    const looks = elsewhere(narrow.token);
    expect((await looks.call('session.show')).permissions.sort()).toEqual([...permissions].sort());
    expect((await looks.call('people.list')).rows.length).toBeGreaterThan(0);
    await expect(looks.call('people.add', { body: { displayName: 'X', loginNames: ['x.y'] } })).rejects.toMatchObject({
      problem: { code: 'not-permitted' },
    });
    await expect(
      looks.call('accessTokens.add', { body: { label: 'wide', permissions: ['person.write'] } }),
    ).rejects.toMatchObject({ problem: { code: 'invalid-input' } });
    // Left out, it is what the token has, not what its person has.
    const next = await looks.call('accessTokens.add', { body: { label: 'same' } });
    expect(next.accessToken.permissions).toEqual([...permissions]);

    // With it ends what was made with it, however far down.
    await inst.owner.call('accessTokens.revoke', { params: { id: accessToken.id } });
    for (const ended of [token, made.token, narrow.token, next.token])
      await expect(elsewhere(ended).call('session.show')).rejects.toMatchObject(GONE);
  });

  it('ends with its person’s password and last factor, which says how many', async () => {
    const held = await administrator(inst, 'held.custodian', 'custodian');
    const more = await tokenOf(inst, 'held.custodian');
    const { ended } = await withSignature(second.client, () =>
      inst.owner.call('people.setPassword', { params: { id: held.id }, body: { password: `${PASSWORD} anew` } }),
    );
    expect(ended).toEqual({ sessions: 0, accessTokens: 2 });
    for (const token of [held.token, more])
      await expect(elsewhere(token).call('session.show')).rejects.toMatchObject(GONE);

    const { id, authenticator } = await personWithApp(inst.owner, 'desk.person');
    await inst.sql(
      "INSERT INTO role_grants (person_id, role, granted_at) VALUES (UNHEX(REPLACE(?, '-', '')), 'help-desk', NOW())",
      [id],
    );
    const issued = await inst.owner.call('accessTokens.add', { body: { label: 'theirs' } });
    await inst.sql("UPDATE access_tokens SET person_id = UNHEX(REPLACE(?, '-', '')) WHERE label = 'theirs'", [id]);
    expect((await elsewhere(issued.token).call('session.show')).person.id).toBe(id);
    const suspended = await withSignature(second.client, () =>
      inst.owner.call('authenticators.suspend', { params: { id: authenticator } }),
    );
    expect(suspended).toMatchObject({ state: 'suspended', ended: { accessTokens: 1 } });
    await expect(elsewhere(issued.token).call('session.show')).rejects.toMatchObject(GONE);
  });
});

describe('somebody who was deactivated and brought back', () => {
  it('has to begin anew, with sign-ins and tokens alike, and whoever watches is told nothing', async () => {
    const { id, phone } = await personWithApp(inst.owner, 'back.again');
    const app = await connectedApplication(inst.owner, 'Quay Terminals');
    const at = elsewhere(app.key);
    const begun = await at.call('signIns.begin', { body: { loginName: 'back.again' } });
    const params = { id: begun.id };
    const first = await at.call('signIns.prove', { params, body: { kind: 'password', value: PASSWORD } });
    expect(first.prompt?.kind).toBe('code');
    await inst.owner.call('people.deactivate', { params: { id } });
    expect(await at.call('signIns.show', { params })).toEqual(first);
    await inst.owner.call('people.reactivate', { params: { id } });
    const last = await at.call('signIns.prove', { params, body: { kind: 'code', value: phone.next() } });
    expect(last).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    // Anew it goes.
    const anew = await at.call('signIns.begin', { body: { loginName: 'back.again' } });
    await at.call('signIns.prove', { params: { id: anew.id }, body: { kind: 'password', value: PASSWORD } });
    expect(
      await at.call('signIns.prove', { params: { id: anew.id }, body: { kind: 'code', value: phone.next() } }),
    ).toMatchObject({ state: 'let-in' });

    const desk = await administrator(inst, 'back.desk', 'help-desk');
    await withSignature(second.client, () => inst.owner.call('people.deactivate', { params: { id: desk.id } }));
    await withSignature(second.client, () => inst.owner.call('people.reactivate', { params: { id: desk.id } }));
    await expect(elsewhere(desk.token).call('session.show')).rejects.toMatchObject(GONE);
  });
});

describe('an application', () => {
  /** Somebody who has given their password at an application, on a node that knows its key by now. */
  const halfway = async (name: string) => {
    const app = await connectedApplication(inst.owner, name);
    const { phone } = await personWithApp(inst.owner, `${name.toLowerCase()}.visitor`);
    const at = elsewhere(app.key);
    const { id } = await at.call('signIns.begin', { body: { loginName: `${name.toLowerCase()}.visitor` } });
    await at.call('signIns.prove', { params: { id }, body: { kind: 'password', value: PASSWORD } });
    const finish = () => at.call('signIns.prove', { params: { id }, body: { kind: 'code', value: phone.next() } });
    return { app, at, id, finish };
  };
  const letIn = async (id: string) =>
    (await inst.sql("SELECT state FROM sign_ins WHERE id = UNHEX(REPLACE(?, '-', ''))", [id]))[0]?.['state'];

  it('that was deleted finishes nothing any more, from that moment on', async () => {
    const { app, at, id, finish } = await halfway('Cranes');
    await inst.owner.call('applications.delete', { params: { id: app.id } });
    await expect(finish()).rejects.toMatchObject({ problem: { code: 'wrong-key' } });
    await expect(at.call('signIns.show', { params: { id } })).rejects.toMatchObject({ problem: { code: 'wrong-key' } });
    expect(await letIn(id)).toBe('asking');
  });

  it('finishes nothing by a key that was revoked', async () => {
    const { app, id, finish } = await halfway('Pilots');
    const { connections } = await inst.owner.call('applications.show', { params: { id: app.id } });
    const [key] = connections[0]!.keys;
    await inst.owner.call('connectionKeys.revoke', { params: { id: app.connection, keyId: key!.id } });
    await expect(finish()).rejects.toMatchObject({ problem: { code: 'wrong-key' } });
    expect(await letIn(id)).toBe('asking');
  });

  it('goes on as long as nothing was ended', async () => {
    const { finish } = await halfway('Tugs');
    expect(await finish()).toMatchObject({ state: 'let-in' });
  });
});
