import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connectedApplication, Installation, personWithApp } from './support/installation.js';

let inst: Installation;
beforeAll(async () => {
  inst = await Installation.start(2);
});
afterAll(async () => await inst.stop());

describe('networks', () => {
  const add = (name: string, ...ranges: string[]) => inst.owner.call('networks.add', { body: { name, ranges } });
  const locate = async (address: string, node = 0) =>
    (await inst.nodes[node]!.owner.call('networks.locate', { query: { address } })).rows.map((row) => row.name);

  it('are kept in one spelling, found by any spelling of an address, and followed by every node', async () => {
    const port = await add('port', '10.0.0.0/8', '::ffff:10.9.0.0/112', '10.0.0.0/8');
    expect(port.ranges).toEqual(['10.0.0.0/8', '10.9.0.0/16']);
    const tower = await add('tower', '10.1.2.0/24', '2001:DB8:1::/48');
    expect(await locate('::ffff:10.1.2.3')).toEqual(['tower', 'port']);
    await expect.poll(async () => await locate('2001:db8:1::7', 1)).toEqual(['tower']);
    await inst.owner.call('networks.edit', {
      params: { id: tower.id },
      body: { ranges: ['10.1.3.0/24'], city: 'Wexmoor', country: 'GB' },
      ifMatch: tower.version,
    });
    expect(await locate('10.1.2.3')).toEqual(['port']);
    await expect.poll(async () => await locate('10.1.3.3', 1)).toEqual(['tower', 'port']);
    await expect(
      inst.owner.call('networks.edit', { params: { id: tower.id }, body: { city: null }, ifMatch: tower.version }),
    ).rejects.toMatchObject({ code: 'changed-meanwhile' });
  });

  it('say which range is wrong and what was probably meant, and write nothing', async () => {
    await expect(add('quay', '10.4.0.0/16', '10.5.6.7/16')).rejects.toMatchObject({
      issues: [{ where: 'body.ranges[1]', what: 'bits are set beyond the prefix; perhaps 10.5.0.0/16 is meant' }],
    });
    await expect(add('quay', 'the quay')).rejects.toMatchObject({ issues: [{ where: 'body.ranges[0]' }] });
    await expect(add('Port', '192.0.2.0/24')).rejects.toMatchObject({ code: 'name-taken' });
    expect((await inst.owner.call('networks.list')).rows.map((row) => row.name)).toEqual(['port', 'tower']);
  });

  it('tell in the story of a sign-in where it came from', async () => {
    await personWithApp(inst.owner, 'net.worker');
    const app = await connectedApplication(inst.owner, 'Quay Terminals', { claims: ['source-address'] });
    const begin = (sourceAddress: string) =>
      inst
        .client(inst.url, app.key)
        .call('signIns.begin', { body: { loginName: 'net.worker', claims: { sourceAddress } } });
    const networksOf = async (id: string) => (await inst.owner.call('activity.show', { params: { id } })).networks;
    expect(await networksOf((await begin('10.1.3.9')).id)).toEqual(['tower', 'port']);
    expect(await networksOf((await begin('203.0.113.5')).id)).toEqual([]);
    const { rows: networks } = await inst.owner.call('networks.list');
    await inst.owner.call('networks.delete', { params: { id: networks[0]!.id } });
    const { rows } = await inst.owner.call('trail.list', { query: { area: 'network' } });
    expect(rows.map((entry) => entry.action)).toEqual([
      'network.deleted',
      'network.changed',
      'network.added',
      'network.added',
    ]);
  });
});
