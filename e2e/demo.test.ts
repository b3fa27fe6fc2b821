import { mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Client } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createPocket } from '../packages/standins/src/pocket/server.js';
import { chore, run, STANDIN } from '../scripts/lib/installation.mjs';
import { Installation } from './support/installation.js';

/** What the demo is made of, as it is built: people look at it before anything else. */
let inst: Installation;
let berths: Client;
let dir: string;
let pocket: Awaited<ReturnType<typeof createPocket>>;
const keys = () => join(dir, 'phones.json');
const DEMO_PASSWORD = 'harbour lights at dawn';

beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'nlatch-demo-'));
  inst = await Installation.prepare();
  const env = await inst.environment();
  expect(await chore(env, 'demo', '--people', '60')).toContain('Loaded the Port of Wexmoor: 60 people');
  inst.ownerToken = await chore(env, 'owner-token', '--for', 'ines.marlow');
  await inst.startNode();
  const { rows } = await inst.owner.call('applications.list');
  const planner = rows.find(({ name }) => name === 'Berth Planner')!;
  const { key } = await inst.owner.call('connections.add', { params: { id: planner.id }, body: { label: 'Test' } });
  berths = inst.client(inst.url, key!);
  pocket = await createPocket(keys(), Date.now);
});
afterAll(async () => {
  await pocket.close();
  await inst.stop();
  rmSync(dir, { recursive: true });
});

const idOf = async (loginName: string) => (await inst.owner.call('people.list', { query: { loginName } })).rows[0]!.id;

async function ask(loginName: string) {
  const { id } = await berths.call('signIns.begin', { body: { loginName, carries: ['password', 'code', 'wait'] } });
  const prove = async (body: object) =>
    await berths.call('signIns.prove', { params: { id }, body: body as { kind: 'wait' } });
  const asked = await prove({ kind: 'password', value: DEMO_PASSWORD });
  const prompt =
    asked.prompt!.kind === 'wait' ? asked.prompt! : (await prove({ kind: 'choose', value: 'push' })).prompt!;
  const wait = async () => {
    // A phone that answers by itself takes its time on a busy machine.
    for (let times = 1; ; times++) {
      const looked = await prove({ kind: 'wait', seconds: 20 });
      if (looked.state !== 'asking' || times === 3) return looked;
    }
  };
  return { number: prompt.number, wait };
}

/** A phone of somebody in the drawer, set up at a desk. */
async function handOut(loginName: string, habit: string): Promise<string> {
  const { link, authenticator } = await inst.owner.call('push.begin', {
    params: { id: await idOf(loginName) },
    body: { label: 'Phone', carrier: { kind: 'phone', label: 'Phone', serial: null } },
  });
  const { device } = (await pocket.inject({ method: 'POST', url: '/phones', payload: { link, habit } })).json<{
    device: string;
  }>();
  await inst.owner.call('push.prove', { params: { id: authenticator.id } });
  return device;
}
const shown = async () =>
  (await pocket.inject('/phones')).json<{ device: string; requests: { id: string }[]; code: string | null }[]>();

describe('the demo', () => {
  it('has a phone that fell silent, and somebody who said that it was not them', async () => {
    const { needsHand } = await inst.owner.call('overview.show');
    expect(needsHand.filter(({ why }) => why === 'phone-silent')).toMatchObject([
      { person: { displayName: 'Rosalind Quay' } },
    ]);
    const { rows } = await inst.owner.call('activity.list', { query: { person: await idOf('noor.haddad'), limit: 1 } });
    expect(rows[0]).toMatchObject({ state: 'refused', reason: 'not-me', application: { name: 'Berth Planner' } });
    const { steps } = await inst.owner.call('activity.show', { params: { id: rows[0]!.id } });
    expect(steps.map(({ what }) => what)).toEqual(
      expect.arrayContaining(['phone-shown', 'phone-not-me', 'wrong', 'ended']),
    );
  });

  it('has phones that are answered by hand, by themselves, or not at all, and that are there again', async () => {
    const hedda = await handOut('hedda.lund', 'approves');
    const gunnar = await handOut('gunnar.eide', 'by-hand');
    // The tower approves by a tap alone, once the password was right: so a phone can do it by itself.
    const plain = await ask('hedda.lund');
    expect(plain.number).toBeNull();
    expect(await plain.wait()).toMatchObject({ state: 'let-in', way: 'password + push' });
    const compared = await ask('gunnar.eide');
    await expect.poll(async () => (await shown()).find(({ device }) => device === gunnar)!.requests.length).toBe(1);
    const [request] = (await shown()).find(({ device }) => device === gunnar)!.requests;
    const answer = async (payload: object) =>
      (await pocket.inject({ method: 'POST', url: `/phones/${gunnar}/answers`, payload })).json<{
        outcome?: string;
        problem?: string;
      }>();
    expect(await answer({ request: request!.id, decision: 'maybe' })).toHaveProperty('problem');
    expect(await answer({ request: request!.id, decision: 'approve', number: compared.number })).toEqual({
      outcome: 'taken',
    });
    expect((await compared.wait()).state).toBe('let-in');
    // Codes for when it has no network are there too.
    expect((await shown()).map(({ code }) => code)).toEqual([
      expect.stringMatching(/^\d{6}$/),
      expect.stringMatching(/^\d{6}$/),
    ]);

    // Kept for nobody else, and the same phones again from there, for a script too.
    expect(statSync(keys()).mode & 0o077).toBe(0);
    const later = await createPocket(keys(), Date.now);
    expect((await later.inject('/phones')).json<{ device: string }[]>().map(({ device }) => device)).toEqual([
      hedda,
      gunnar,
    ]);
    await later.close();
    const script = async (...args: string[]) => await run(STANDIN, ['pocket', ...args, '--keys', keys()]);
    const again = await ask('gunnar.eide');
    expect((await script('list')).out).toMatch(/Gunnar Eide {2}signs in at Berth Planner.*asks for the number/);
    expect((await script('answer', 'Gunnar Eide', 'approve', '--number', again.number!)).out).toBe('taken\n');
    expect((await again.wait()).state).toBe('let-in');
    expect(await script('answer', 'Nobody', 'deny')).toMatchObject({
      code: 1,
      err: expect.stringContaining('no phone of Nobody') as string,
    });

    // Switched off, it asks nothing.
    await pocket.inject({ method: 'PUT', url: `/phones/${gunnar}/habit`, payload: { habit: 'away' } });
    expect(JSON.parse(readFileSync(keys(), 'utf8'))).toMatchObject([{ habit: 'approves' }, { habit: 'away' }]);
    await ask('gunnar.eide');
    await new Promise((resolve) => setTimeout(resolve, 1_500));
    expect((await shown()).find(({ device }) => device === gunnar)!.requests).toEqual([]);
  });
});
