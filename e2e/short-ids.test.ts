import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { nlatchWithin } from './support/client.js';
import { administrator } from './support/administrators.js';
import { connectedApplication, Installation, personWithApp } from './support/installation.js';

let inst: Installation;
let inside: Awaited<ReturnType<typeof personWithApp>>;
let outside: Awaited<ReturnType<typeof personWithApp>>;
let quay: string;
beforeAll(async () => {
  inst = await Installation.start(2);
  quay = (await inst.owner.call('groups.add', { body: { name: 'quay' } })).id;
  inside = await personWithApp(inst.owner, 'cora.crane');
  outside = await personWithApp(inst.owner, 'theo.tower');
  await inst.owner.call('groups.join', { params: { id: quay, personId: inside.id } });
});
afterAll(async () => await inst.stop());

const keyringOf = async (id: string) => await inst.owner.call('keyring.show', { params: { id } });
const nlatch = (args: string[], token = inst.ownerToken) =>
  nlatchWithin(args, { env: { PATH: process.env['PATH']!, NLATCH_SERVER: inst.url, NLATCH_TOKEN: token }, input: '' });

describe('the beginning of an id', () => {
  it('stands in lists, and is taken wherever an id is', async () => {
    const { authenticators } = await keyringOf(inside.id);
    const app = authenticators.find((one) => one.method === 'totp')!;
    const listed = await nlatch(['keyring', 'show', 'cora.crane']);
    const short = new RegExp(`${app.id.slice(0, 13)}[\\w-]*`).exec(listed.out)![0];
    expect(short.length).toBeLessThan(36);
    expect((await nlatch(['keyring', 'prefer', short])).code).toBe(0);
    expect((await nlatch(['keyring', 'prefer', short.replaceAll('-', '').toUpperCase()])).code).toBe(0);
    // A file that others read on has them whole.
    expect((await nlatch(['keyring', 'show', 'cora.crane', '--json'])).out).toContain(app.id);
  });

  it('is taken by what looks among the things of one list', async () => {
    const { id, connection } = await connectedApplication(inst.owner, 'Berth Planner');
    await inst.owner.call('connections.add', { params: { id }, body: { label: 'Second' } });
    const rotate = ['application', 'rotate-key', 'Berth Planner', '--overlap', '0', '--connection'];
    expect((await nlatch([...rotate, connection.slice(0, -1)])).code).toBe(0);
    expect((await nlatch([...rotate, 'ffffffff'])).err).toContain('there is nothing whose id begins with ffffffff');

    await inst.owner.call('networks.add', { body: { name: 'Quay', ranges: ['192.0.2.0/24'] } });
    const net = (await inst.owner.call('networks.list')).rows[0]!.id;
    expect((await nlatch(['network', 'edit', net.slice(0, 23), '--anonymising'])).code).toBe(0);

    const given = await inst.owner.call('passes.give', { params: { id: outside.id }, body: { reason: 'At home' } });
    const withdrawn = await nlatch(['pass', 'withdraw', given.pass.id.slice(0, 23), '--yes']);
    expect(withdrawn.out).toContain('theo.tower');

    const { authenticators } = await keyringOf(outside.id);
    const app = authenticators.find((one) => one.method === 'totp')!;
    const asked = await nlatch(['keyring', 'revoke', 'theo.tower', app.id.slice(0, 23)]);
    expect(asked.err).toContain(app.label);
    expect((await nlatch(['keyring', 'revoke', 'theo.tower', app.id.slice(0, 23), '--yes'])).code).toBe(0);
    expect((await keyringOf(outside.id)).authenticators.find((one) => one.id === app.id)?.state).toBe('revoked');
  });

  it('that more than one thing has is not guessed at, and one that nothing has is said to be none', async () => {
    const { id } = (await keyringOf(inside.id)).authenticators[0]!;
    const many = await nlatch(['keyring', 'prefer', id.slice(0, 8)]);
    expect(many).toMatchObject({
      code: 2,
      err: expect.stringMatching(/more than one id begins with[\s\S]*type more of it: \S{36}, \S{36}/),
    });
    expect(await nlatch(['keyring', 'prefer', 'ffffffff'])).toMatchObject({
      code: 5,
      err: expect.stringContaining('there is nothing whose id begins with ffffffff'),
    });
    for (const begins of ['0197', '0197zzzz', '01970a3-e5c1', "01970a3e' OR 1=1", '0'.repeat(40)])
      await expect(inst.owner.call('ids.find', { query: { of: 'carrier', begins } })).rejects.toMatchObject({
        code: 'invalid-input',
      });
  });

  it('of what somebody does not reach is nothing for them, whatever it is and on whatever node they ask', async () => {
    const { client, token } = await administrator(inst, 'limited.help', 'help-desk', [quay]);
    await administrator(inst, 'limited.nobody', 'help-desk', []);
    for (const [person, found] of [
      [inside.id, 1],
      [outside.id, 0],
    ] as const) {
      const { authenticators, carriers } = await keyringOf(person);
      for (const [of, id] of [
        ['authenticator', authenticators[0]!.id],
        ['carrier', carriers[0]!.id],
      ] as const)
        for (const url of inst.nodes.map((node) => node.url))
          expect(
            (await inst.client(url, token).call('ids.find', { query: { of, begins: id } })).ids,
            `${of} ${person}`,
          ).toHaveLength(found);
    }
    // What is out of reach does not make a beginning mean two things either.
    const { id } = (await keyringOf(inside.id)).carriers[0]!;
    expect((await client.call('ids.find', { query: { of: 'carrier', begins: id.slice(0, 8) } })).ids).toEqual([id]);
    // Once somebody has left the groups they are out of reach at once.
    await inst.owner.call('groups.leave', { params: { id: quay, personId: inside.id } });
    expect((await client.call('ids.find', { query: { of: 'carrier', begins: id.slice(0, 8) } })).ids).toEqual([]);
  });

  it('is told by what each kind needs, and not by the right to read people alone', async () => {
    const { token } = await inst.owner.call('accessTokens.add', {
      body: { label: 'only people', permissions: ['person.read'], hours: 1 },
    });
    const narrow = inst.client(inst.url, token);
    for (const of of ['authenticator', 'carrier', 'invitation', 'dispute', 'sign-in'] as const)
      await expect(narrow.call('ids.find', { query: { of, begins: '01970a3e' } }), of).rejects.toMatchObject({
        code: 'not-permitted',
      });
  });
});
