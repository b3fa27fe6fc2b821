import type { Client } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator } from './support/administrators.js';
import { connectedApplication, Installation, personWithApp } from './support/installation.js';

describe('what happens at the doors', () => {
  let inst: Installation;
  let owner: Client;
  let person: Awaited<ReturnType<typeof personWithApp>>;
  let app: Awaited<ReturnType<typeof connectedApplication>>;
  beforeAll(async () => {
    inst = await Installation.start();
    owner = inst.owner;
    person = await personWithApp(owner, 'dagny.holm');
    app = await connectedApplication(owner, '=Berth Planner');
  });
  afterAll(() => inst.stop());
  const knock = async () =>
    await inst
      .client(inst.url, app.key)
      .call('signIns.begin', { body: { loginName: 'dagny.holm', carries: ['password', 'code'] } });
  const open = async (token = inst.ownerToken) =>
    await fetch(`${inst.url}/api/v1/activity/stream`, { headers: { authorization: `Bearer ${token}` } });

  it('is told as it happens, without saying what it was', async () => {
    expect((await open('nla_nobody')).status).toBe(401);
    expect((await open(app.key)).status).toBe(401);
    const answer = await open();
    expect(answer.headers.get('content-type')).toBe('text/event-stream');
    const reader = answer.body!.pipeThrough(new TextDecoderStream()).getReader();
    let heard = '';
    const hear = async (what: string) => {
      while (!heard.includes(what)) heard += (await reader.read()).value ?? '';
    };
    await hear(':\n\n');
    const { id } = await knock();
    await hear('event: changed\ndata: signIns\n\n');
    await owner.call('groups.add', { body: { name: 'Night watch' } });
    await hear('data: trail');
    expect(heard).not.toContain(id);
    // Reading the trail is no news: showing it would else cause the next reading.
    heard = '';
    await owner.call('trail.list');
    await hear(':\n\n:\n\n:\n\n');
    expect(heard).not.toContain('changed');
    await reader.cancel();
  });

  it('keeps no node from stopping', async () => {
    const node = await inst.startNode();
    const answer = await fetch(`${node.url}/api/v1/activity/stream`, {
      headers: { authorization: `Bearer ${inst.ownerToken}` },
    });
    const ended = answer.text();
    const start = performance.now();
    expect(await node.stop()).toBe(0);
    await ended;
    expect(performance.now() - start).toBeLessThan(8_000);
    inst.nodes.pop();
  });

  it('is taken out as CSV, by the filter, guarded against formulas, and on the trail', async () => {
    const { id } = await knock();
    const csv = await owner.call('activity.export', { query: { application: app.id } });
    const [head, ...lines] = csv.trim().split('\r\n');
    expect(head).toBe('id,at,person,application,state,reason,way,sourceAddress,walkThrough');
    expect(lines[0]).toMatch(new RegExp(`^${id},[^,]+,[^,]+,'=Berth Planner,asking,`));
    expect((await owner.call('activity.export', { query: { state: 'let-in' } })).trim().split('\r\n')).toHaveLength(1);
    const trail = await owner.call('trail.export', { query: { area: 'activity' } });
    expect(trail).toMatch(/,activity\.exported,person,Ines Marlow,/);
    const { rows } = await owner.call('trail.list', { query: { area: 'trail' } });
    expect(rows.map((row) => row.action)).toContain('trail.exported');
    const besides = await owner.call('trail.list', { query: { without: 'trail' } });
    expect(besides.rows.map((row) => row.action)).toContain('activity.exported');
    expect(besides.rows.filter((row) => row.action.startsWith('trail.'))).toEqual([]);
  });

  it('is foretold for each application, and changes with the keyring and the person', async () => {
    const foretold = async () => {
      const { rows } = await owner.call('people.meets', { params: { id: person.id } });
      return rows.map(({ application, outcome, asks, reason, serves }) => [
        application.name,
        outcome,
        asks.join(' '),
        reason,
        serves.length,
      ]);
    };
    expect(await foretold()).toEqual([
      ['=Berth Planner', 'let-in', 'password code', null, 1],
      ['Enrolment', 'let-in', 'password code', null, 1],
    ]);
    const { authenticators } = await owner.call('keyring.show', { params: { id: person.id } });
    const totp = authenticators.find((one) => one.method === 'totp')!;
    await owner.call('authenticators.suspend', { params: { id: totp.id } });
    const enrolFirst = ['enrol-first', 'password', 'no-usable-authenticator', 0];
    expect(await foretold()).toEqual([
      ['=Berth Planner', ...enrolFirst],
      ['Enrolment', ...enrolFirst],
    ]);
    await owner.call('people.deactivate', { params: { id: person.id } });
    expect((await foretold())[0]).toEqual(['=Berth Planner', 'refused', '', 'person-deactivated', 0]);
    // The console is only for people with a role.
    const ines = (await owner.call('session.show')).person.id;
    const own = (await owner.call('people.meets', { params: { id: ines } })).rows.map((row) => row.application.name);
    expect(own).toEqual(['Console', '=Berth Planner', 'Enrolment']);
  });

  it('is nobody’s alone: one person has eight windows of it at most, and a window that is closed makes room', async () => {
    const windows = await Promise.all(Array.from({ length: 8 }, async () => await open()));
    expect(windows.map(({ status }) => status)).toEqual(new Array(8).fill(200));
    const ninth = await open();
    expect([ninth.status, Number(ninth.headers.get('retry-after'))]).toEqual([429, 30]);
    const other = await administrator(inst, 'kit.marrable', 'auditor');
    const theirs = await open(other.token);
    expect(theirs.status).toBe(200);
    await windows.shift()!.body!.cancel();
    await expect
      .poll(async () => {
        const again = await open();
        windows.push(again);
        return again.status;
      })
      .toBe(200);
    await Promise.all([theirs, ...windows].map(async ({ body }) => await body?.cancel()));
  });
});
