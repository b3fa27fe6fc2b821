import { setTimeout as delay } from 'node:timers/promises';
import type { Client } from '@nimble-latch/api/client';
import type { Answer, Sent } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation } from './support/installation.js';

type Change = Answer<'bulkChanges.show'>;

describe('a change to many people', () => {
  let inst: Installation;
  let owner: Client;
  let group: string;
  beforeAll(async () => {
    inst = await Installation.start(1, {}, { processes: true });
    owner = inst.owner;
    const rows = Array.from({ length: 1_200 }, (_, i) => `Crew ${i},crew${i}`).join('\n');
    const received = await owner.call('imports.receive', {
      query: { kind: 'people', fileName: 'crew.csv' },
      file: new Blob([`Name,Login\n${rows}\n`]),
    });
    const { id, columns, rules } = received;
    await owner.call('imports.check', {
      params: { id },
      body: { columns: columns.map((column) => column.meaning), rules, saveAs: null },
    });
    const until = async (state: string) => {
      for (;;) {
        const one = await owner.call('imports.show', { params: { id } });
        if (one.state === state) return one;
        await delay(50);
      }
    };
    await owner.call('imports.apply', { params: { id }, body: {}, ifMatch: (await until('checked')).version });
    await until('done');
    group = (await owner.call('groups.add', { body: { name: 'Crew' } })).id;
  });
  afterAll(() => inst.stop());

  const begin = async (body: Sent<'bulkChanges.begin', 'body'>) => await owner.call('bulkChanges.begin', { body });
  const ended = async ({ id }: Change, client = owner): Promise<Change> => {
    for (;;) {
      const change = await client.call('bulkChanges.show', { params: { id } });
      if (change.state === 'done') return change;
      await delay(30);
    }
  };
  const count = async (filter: Sent<'people.count', 'query'>) =>
    (await owner.call('people.count', { query: filter })).people;
  const trail = async (action: string) =>
    (await inst.sql<{ n: number }>('SELECT COUNT(*) AS n FROM trail_entries WHERE action = ?', [action]))[0]!.n;

  it('is for exactly those who were counted, or for nobody', async () => {
    const filter = { q: 'crew' };
    expect(await count(filter)).toBe(1_200);
    await expect(begin({ kind: 'join', group, who: { filter }, expect: 1_199 })).rejects.toMatchObject({
      code: 'count-changed',
      problem: { facts: { people: 1_200 } },
    });
    expect(await count({ group })).toBe(0);
    expect((await inst.sql('SELECT * FROM bulk_changes')).length).toBe(0);
    await expect(begin({ kind: 'join', who: { filter }, expect: 1_200 })).rejects.toMatchObject({
      issues: [{ where: 'body.group' }],
    });
  });

  it('changes who is not so already, with an entry for each, and is taken back for exactly those', async () => {
    const { rows } = await owner.call('people.list', { query: { q: 'crew', limit: 100 } });
    const first = await ended(
      await begin({ kind: 'join', group, who: { ids: rows.map((row) => row.id) }, expect: 100 }),
    );
    expect(first).toMatchObject({ people: 100, passed: 100, changed: 100 });
    const all = await ended(await begin({ kind: 'join', group, who: { filter: { q: 'crew' } }, expect: 1_200 }));
    expect(all).toMatchObject({ people: 1_200, passed: 1_200, changed: 1_100 });
    expect(await count({ group })).toBe(1_200);
    expect(await trail('group.joined')).toBe(1_200);
    // Somebody has left since, and somebody was deleted: taking back does not mind.
    const { rows: others } = await owner.call('people.list', { query: { q: 'crew 11', limit: 2 } });
    await owner.call('groups.leave', { params: { id: group, personId: others[0]!.id } });
    await owner.call('people.delete', { params: { id: others[1]!.id } });
    const back = await ended(await owner.call('bulkChanges.undo', { params: { id: all.id } }));
    expect(back).toMatchObject({ kind: 'leave', undoes: all.id, people: 1_099, changed: 1_098 });
    const left = await owner.call('people.list', { query: { group, limit: 200 } });
    expect(left.rows.map((row) => row.id).sort()).toEqual(rows.map((row) => row.id).sort());
    await expect(owner.call('bulkChanges.undo', { params: { id: all.id } })).rejects.toMatchObject({
      code: 'wrong-state',
    });
  });

  it('deactivates nobody with a role, ends sessions, and goes on when its node is killed', async () => {
    const everybody = await count({ state: 'active' });
    const begun = await begin({ kind: 'deactivate', who: { filter: { state: 'active' } }, expect: everybody });
    const passed = async () => (await inst.sql<{ n: number }>('SELECT MAX(passed) AS n FROM bulk_changes'))[0]!.n;
    await expect.poll(passed, { interval: 5, timeout: 60_000 }).toBeGreaterThan(0);
    await inst.nodes[0]!.stop('SIGKILL');
    // What the dead had sent already, the server still carries out.
    await delay(1_000);
    await inst.sql(
      "UPDATE jobs SET lease_until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE kind = 'bulk-change' AND state = 'running'",
    );
    owner = (await inst.startNode()).owner;
    const done = await ended(begun);
    expect(done).toMatchObject({ people: everybody, passed: everybody, changed: everybody - 1 });
    expect(await count({ state: 'active' })).toBe(1);
    expect((await owner.call('session.show')).roles).toEqual(['owner']);
    expect(await trail('person.deactivated')).toBe(everybody - 1);
    inst.nodes.shift();
  });
});
