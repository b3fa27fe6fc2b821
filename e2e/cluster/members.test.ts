import { setTimeout as delay } from 'node:timers/promises';
import type { Client } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { alike, ROUNDS, startOnCluster, type Member, type OnCluster } from '../support/cluster.js';
import { Fob } from '../support/counters.js';
import { connectedApplication, PASSWORD, type Node } from '../support/installation.js';

const VISITORS = 6;
/** Nobody is without sign-ins for longer, whatever happens to one member; the others need this to give it up, and a machine that is busy. */
const LONGEST_GAP_MS = 20_000;

let on: OnCluster;
let nodes: readonly Node[];
let key: string;
const people: string[] = [];
const fobs: Fob[] = [];

beforeAll(async () => {
  on = await startOnCluster(3, {}, 'all-members');
  ({ nodes } = on.installation);
  const { owner } = nodes[0]!;
  ({ key } = await connectedApplication(owner, 'Berth Planner', { claims: ['password-checked'] }));
  for (let i = 0; i < VISITORS; i++) {
    const name = `visitor.${i}`;
    const { id } = await owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
    await owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    const fob = new Fob(`ZZ-${1_000 + i}`);
    const tokenId = await fob.into(owner, id);
    await owner.call('tokens.prove', { params: { id, tokenId }, body: { codes: [fob.press(), fob.press()] } });
    people.push(id);
    fobs.push(fob);
  }
});
afterAll(async () => await on.stop());

const at = (node: Node): Client => on.installation.client(node.url, key);

/** One sign-in; answers what came of it. */
async function visit(node: Node, i: number): Promise<string> {
  try {
    const { id } = await at(node).call('signIns.begin', {
      body: { loginName: `visitor.${i}`, claims: { passwordChecked: true } },
    });
    const value = fobs[i]!.press();
    return (await at(node).call('signIns.prove', { params: { id }, body: { kind: 'code', value } })).state;
  } catch (error) {
    return (error as { code?: string }).code ?? 'no answer';
  }
}

/** Visitors at all nodes, again and again, until they are told to stop. */
function crowd() {
  let over = false;
  const letIn: number[] = [];
  const others = new Map<string, number>();
  const all = Promise.all(
    fobs.map(async (_, i) => {
      for (let n = i; !over; n++) {
        const what = await visit(nodes[n % nodes.length]!, i);
        if (what === 'let-in') letIn.push(performance.now());
        else others.set(what, (others.get(what) ?? 0) + 1);
        await delay(20);
      }
    }),
  );
  return {
    letIn,
    others,
    /** The longest time in which nobody came in, from one moment on. */
    gapSince: (from: number): number => {
      const times = [from, ...letIn.filter((time) => time > from), performance.now()];
      return Math.max(...times.slice(1).map((time, i) => time - times[i]!));
    },
    async end(): Promise<void> {
      over = true;
      await all;
    },
    async untilLetIn(count: number): Promise<void> {
      const before = letIn.length;
      await expect.poll(() => letIn.length - before, { timeout: 60_000 }).toBeGreaterThan(count);
    },
  };
}

/** Sign-ins that ended well, as the records have it. */
const recorded = async (): Promise<number> =>
  Number((await on.installation.sql<{ n: number }>("SELECT COUNT(*) AS n FROM sign_ins WHERE state = 'let-in'"))[0]!.n);

describe('three nodes on three members', () => {
  it('take a code once, wherever it is shown', async () => {
    for (let round = 0; round < ROUNDS * 4; round++) {
      const i = round % VISITORS;
      const body = { loginName: `visitor.${i}`, claims: { passwordChecked: true as const } };
      const begun = await Promise.all(nodes.map(async (node) => (await at(node).call('signIns.begin', { body })).id));
      const value = fobs[i]!.press();
      const states = await Promise.all(
        begun.map(
          async (id, n) =>
            (await at(nodes[n]!).call('signIns.prove', { params: { id }, body: { kind: 'code', value } })).state,
        ),
      );
      expect(
        states.filter((state) => state === 'let-in'),
        `round ${round}: ${states.join(', ')}`,
      ).toHaveLength(1);
    }
  });

  it('know at once what was done at another one', async () => {
    const [one, two, three] = nodes as [Node, Node, Node];
    for (let round = 0; round < ROUNDS * 4; round++) {
      const { key, connection } = await connectedApplication(one.owner, `Place ${round}`, {
        claims: ['password-checked'],
      });
      const body = { loginName: 'visitor.0', claims: { passwordChecked: true as const } };
      const begin = async (node: Node) => await on.installation.client(node.url, key).call('signIns.begin', { body });
      const { id } = await begin(two);
      expect((await on.installation.client(three.url, key).call('signIns.show', { params: { id } })).id).toBe(id);
      await two.owner.call('connections.delete', { params: { id: connection } });
      // Begun it may be for a moment, by what a node remembers of keys: nobody is let in by it.
      const late = async () => {
        const { id } = await begin(three);
        const value = fobs[0]!.press();
        return await on.installation
          .client(three.url, key)
          .call('signIns.prove', { params: { id }, body: { kind: 'code', value } });
      };
      await expect(late()).rejects.toMatchObject({ code: 'wrong-key' });
      const { token, accessToken } = await one.owner.call('accessTokens.add', { body: { label: `for ${round}` } });
      const with_ = (node: Node) => on.installation.client(node.url, token).call('session.show');
      await with_(two);
      await two.owner.call('accessTokens.revoke', { params: { id: accessToken.id } });
      await expect(with_(three)).rejects.toMatchObject({ code: 'not-signed-in' });
    }
  });

  const [KILLED, STOPPED, FROZEN] = ['killed', 'stopped in order', 'frozen'] as const;
  it.each([
    [KILLED, 0],
    [STOPPED, 1],
    [FROZEN, 2],
  ] as const)('go on while a member is %s, and lose nothing that they acknowledged', async (how, which) => {
    const member: Member = on.cluster.members[which]!;
    const before = await recorded();
    const visitors = crowd();
    await visitors.untilLetIn(10);
    const from = performance.now();
    if (how === FROZEN) member.kill('SIGSTOP');
    else await member.stop(how === KILLED ? 'SIGKILL' : 'SIGTERM');
    await visitors.untilLetIn(10);
    await expect
      .poll(() => nodes[which]!.log(), { timeout: 30_000 })
      .toContain('another member of the database is used');
    await visitors.untilLetIn(30);
    const gap = visitors.gapSince(from);
    await visitors.end();
    process.stderr.write(
      `${how}: nobody came in for ${(gap / 1000).toFixed(1)} s at most; ${JSON.stringify([...visitors.others])}\n`,
    );
    expect(gap).toBeLessThan(LONGEST_GAP_MS);
    if (how === FROZEN) member.kill('SIGCONT');
    else await member.start({ wait: false });
    await member.ready();
    expect((await recorded()) - before).toBeGreaterThanOrEqual(visitors.letIn.length);
    expect(
      [...visitors.others.keys()].filter((what) => !['unavailable', 'no answer', 'sign-in-ended'].includes(what)),
    ).toEqual([]);
    const [node] = await Promise.all([nodes[which]!.owner.call('system.show')]);
    expect(node).toBeDefined();
  });

  it('say that nothing serves when all members are gone, and come back by themselves', async () => {
    for (const member of on.cluster.members) await member.stop('SIGKILL');
    await expect.poll(async () => (await fetch(`${nodes[0]!.url}/health/ready`)).status, { timeout: 30_000 }).toBe(503);
    await on.cluster.startAgain();
    for (const { url } of nodes)
      await expect.poll(async () => (await fetch(`${url}/health/ready`)).status, { timeout: 60_000 }).toBe(200);
    expect(await visit(nodes[0]!, 0)).toBe('let-in');
  });

  it('leave members that are alike, table by table', async () => {
    expect(await alike(on)).toEqual([]);
  });
});
