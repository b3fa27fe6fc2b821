import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { missingPartitions, partitionName } from '../../packages/service/src/platform/db/partitions.js';
import {
  alike,
  lettings,
  ROUNDS,
  startOnCluster,
  tell,
  tellMembers,
  WHOLE,
  type Member,
  type OnCluster,
} from '../support/cluster.js';
import { Visitors } from '../support/crowd.js';
import { connectedApplication, type Node } from '../support/installation.js';

/** Nobody is without sign-ins for longer, whatever happens to one member: the others need this to give it up, on a machine that is busy. */
const LONGEST_GAP_MS = 20_000;

let on: OnCluster;
let nodes: Node[];
let visitors: Visitors;
beforeAll(async () => {
  on = await startOnCluster(3, {}, 'all-members');
  nodes = [...on.installation.nodes];
  visitors = await Visitors.of(on.installation, 6);
});
afterEach(async ({ task }) => {
  if (task.result?.state === 'fail') await tellMembers(on);
});
afterAll(async () => await on.stop());

const refuse = async (doing: Promise<unknown>): Promise<string | undefined> =>
  await doing.then(
    () => undefined,
    (error: unknown) => (error as { code?: string }).code,
  );

const ready = async (node: Node) => (await fetch(`${node.url}/health/ready`)).status;

describe('three nodes on three members', () => {
  it('take a code once, wherever it is shown', async () => {
    const outcomes = new Map<number, number>();
    for (let round = 0; round < ROUNDS * 25; round++) {
      const i = round % visitors.fobs.length;
      const begun = await Promise.all(nodes.map(async (node) => await visitors.begin(node, i)));
      const value = visitors.fobs[i]!.press();
      const states = await Promise.all(begun.map(async (id, n) => await visitors.show(nodes[n]!, id, value)));
      const count = states.filter((state) => state === 'let-in').length;
      outcomes.set(count, (outcomes.get(count) ?? 0) + 1);
    }
    expect([...outcomes]).toEqual([[1, ROUNDS * 25]]);
  });

  it('know at once what was done at another one', async () => {
    const [one, two, three] = nodes as [Node, Node, Node];
    // Right, and never taken.
    const value = visitors.fobs[0]!.press();
    for (let round = 0; round < ROUNDS * 13; round++) {
      const { key, connection } = await connectedApplication(one.owner, `Place ${round}`, {
        claims: ['password-checked'],
      });
      const body = { loginName: 'visitor.0', claims: { passwordChecked: true as const } };
      const at = (node: Node) => on.installation.client(node.url, key);
      const { id } = await at(two).call('signIns.begin', { body });
      expect((await at(three).call('signIns.show', { params: { id } })).id).toBe(id);
      await two.owner.call('connections.delete', { params: { id: connection } });
      // Begun it may be for a moment, by what a node remembers of keys: nobody is let in by it.
      const late = async () => {
        const { id } = await at(three).call('signIns.begin', { body });
        await at(three).call('signIns.prove', { params: { id }, body: { kind: 'code', value } });
      };
      expect(await refuse(late())).toBe('wrong-key');
      const { token, accessToken } = await one.owner.call('accessTokens.add', { body: { label: `for ${round}` } });
      const show = async (node: Node) => await on.installation.client(node.url, token).call('session.show');
      await show(two);
      await two.owner.call('accessTokens.revoke', { params: { id: accessToken.id } });
      expect(await refuse(show(three))).toBe('not-signed-in');
    }
  });

  it('get tables changed while people sign in: months of sign-ins are added', async () => {
    const before = await lettings(on);
    const crowd = visitors.crowd(nodes);
    await crowd.untilLetIn(10);
    const inHalfAYear = new Date(Date.now() + 180 * 86_400_000);
    const months = async () =>
      (
        await on.installation.sql<{ name: string }>(
          `SELECT partition_name AS name FROM information_schema.partitions
           WHERE table_schema = DATABASE() AND table_name = 'sign_ins'`,
        )
      ).map(({ name }) => name);
    const from = performance.now();
    const statements = missingPartitions('sign_ins', await months(), inHalfAYear);
    for (const statement of statements) {
      await on.installation.sql(statement);
      await crowd.untilLetIn(5);
    }
    const gap = crowd.gapSince(from);
    await crowd.end();
    tell(`tables changed: nobody came in for ${(gap / 1000).toFixed(1)} s at most`, crowd.others);
    expect(statements.length).toBeGreaterThan(2);
    expect(await months()).toContain(partitionName(inHalfAYear));
    expect([...crowd.others.keys()].filter((what) => what !== 'unavailable')).toEqual([]);
    expect((await lettings(on)) - before).toBeGreaterThanOrEqual(crowd.letIn.length);
  });

  const [KILLED, STOPPED, FROZEN] = ['killed', 'stopped in order', 'frozen'] as const;
  const HAPPENS = [
    [KILLED, 0],
    [STOPPED, 1],
    [FROZEN, 2],
  ] as const;
  it.each(WHOLE ? HAPPENS : HAPPENS.slice(0, 1))(
    'go on while a member is %s, and lose nothing that they acknowledged',
    async (how, which) => {
      const member: Member = on.cluster.members[which]!;
      const next = on.cluster.members[(which + 1) % 3]!;
      const before = await lettings(on);
      const crowd = visitors.crowd(nodes);
      await crowd.untilLetIn(10);
      const from = performance.now();
      if (how === FROZEN) member.kill('SIGSTOP');
      else await member.stop(how === KILLED ? 'SIGKILL' : 'SIGTERM');
      await expect
        .poll(() => nodes[which]!.log(), { timeout: 30_000 })
        .toContain('another member of the database is used');
      await crowd.untilLetIn(30);
      const gap = crowd.gapSince(from);
      const { databases } = await nodes[which]!.owner.call('system.show');
      await crowd.end();
      tell(`${how}: nobody came in for ${(gap / 1000).toFixed(1)} s at most, of ${crowd.letIn.length}`, crowd.others);
      expect(gap).toBeLessThan(LONGEST_GAP_MS);
      expect(databases.map(({ address, state, used }) => [address, state, used])).toEqual([
        [`127.0.0.1:${member.port}`, 'silent', false],
        [`127.0.0.1:${next.port}`, 'serves', true],
        [expect.any(String), 'serves', false],
      ]);
      expect(databases[1]!.cluster).toMatchObject({ doing: 'Synced', members: 2 });
      if (how === FROZEN) member.kill('SIGCONT');
      else await member.start({ wait: false });
      await member.ready();
      expect((await lettings(on)) - before).toBeGreaterThanOrEqual(crowd.letIn.length);
      expect([...crowd.others.keys()].filter((what) => !['unavailable', 'no answer'].includes(what))).toEqual([]);
    },
  );

  it.runIf(WHOLE)('serve nothing while two of three are lost, and come back with one of them', async () => {
    const [, second, third] = on.cluster.members;
    const before = await lettings(on);
    const crowd = visitors.crowd(nodes);
    await crowd.untilLetIn(10);
    await Promise.all([second!.stop('SIGKILL'), third!.stop('SIGKILL')]);
    for (const node of nodes) await expect.poll(async () => await ready(node), { timeout: 30_000 }).toBe(503);
    const from = performance.now();
    await second!.start();
    await crowd.untilLetIn(30);
    tell(`one of two is back: let in again after ${(crowd.gapSince(from) / 1000).toFixed(1)} s`, crowd.others);
    await third!.start();
    await crowd.end();
    expect((await lettings(on)) - before).toBeGreaterThanOrEqual(crowd.letIn.length);
  });

  it.runIf(WHOLE)('go on with the last member when two are stopped in order', async () => {
    const [, second, third] = on.cluster.members;
    const before = await lettings(on);
    const crowd = visitors.crowd(nodes);
    await crowd.untilLetIn(10);
    const from = performance.now();
    await second!.stop();
    await third!.stop();
    await crowd.untilLetIn(30);
    const gap = crowd.gapSince(from);
    tell(`two stopped in order: nobody came in for ${(gap / 1000).toFixed(1)} s at most`, crowd.others);
    await second!.start();
    await third!.start();
    await crowd.end();
    expect(gap).toBeLessThan(LONGEST_GAP_MS);
    expect((await lettings(on)) - before).toBeGreaterThanOrEqual(crowd.letIn.length);
  });

  const GONE = WHOLE ? (['SIGKILL', 'SIGTERM'] as const) : [];
  it.each(GONE)(
    'say that nothing serves when all members are gone by %s, and come back by themselves',
    async (signal) => {
      for (const member of on.cluster.members) await member.stop(signal);
      for (const node of nodes) await expect.poll(async () => await ready(node), { timeout: 30_000 }).toBe(503);
      expect(await refuse(nodes[0]!.owner.call('people.list'))).toBe('unavailable');
      await on.cluster.startAgain();
      for (const node of nodes) await expect.poll(async () => await ready(node), { timeout: 60_000 }).toBe(200);
      expect(await visitors.visit(nodes[0]!, 0)).toBe('let-in');
    },
  );

  it.runIf(WHOLE)('go back to their own members, and are restarted one after another, members and nodes', async () => {
    const used = async (node: Node) => (await node.owner.call('system.show')).databases.findIndex(({ used }) => used);
    for (const node of nodes) await expect.poll(async () => await used(node), { timeout: 60_000 }).toBe(0);
    const before = await lettings(on);
    const crowd = visitors.crowd(nodes);
    await crowd.untilLetIn(10);
    const from = performance.now();
    for (const member of on.cluster.members) {
      await member.stop();
      await member.start();
      await crowd.untilLetIn(10);
    }
    for (const [at, node] of nodes.entries()) {
      expect(await node.stop()).toBe(0);
      nodes[at] = await on.startNode(at);
      await crowd.untilLetIn(10);
    }
    const gap = crowd.gapSince(from);
    tell(`all restarted one by one: ${(gap / 1000).toFixed(1)} s at most`, crowd.others);
    await crowd.end();
    expect((await lettings(on)) - before).toBeGreaterThanOrEqual(crowd.letIn.length);
    expect(gap).toBeLessThan(LONGEST_GAP_MS);
  });

  it('leave members that are alike, table by table', async () => {
    expect(await alike(on)).toEqual([]);
  });
});
