import { setTimeout as delay } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { alike, lettings, startOnCluster, tell, WHOLE, type OnCluster } from '../support/cluster.js';
import { Visitors } from '../support/crowd.js';
import type { Node } from '../support/installation.js';

/** Makes networks of its own on this machine, for which it has to be root; in the suite of the cluster only. */
describe.runIf(WHOLE && process.getuid?.() === 0)('a member that the others cannot reach, and clients can', () => {
  let on: OnCluster;
  let nodes: readonly Node[];
  let visitors: Visitors;
  beforeAll(async () => {
    on = await startOnCluster(3, {}, 'all-members', true);
    ({ nodes } = on.installation);
    visitors = await Visitors.of(on.installation, 6);
  });
  afterAll(async () => await on.stop());

  const ready = async (node: Node) => (await fetch(`${node.url}/health/ready`)).status;

  it('is left by its nodes; one that knows no other refuses, and takes no code that was taken elsewhere', async () => {
    const [cut] = on.cluster.members;
    const pinned = await on.installation.startNode({ NLATCH_DATABASE_HOSTS: `${cut!.host}:${cut!.port}` });
    expect(await ready(pinned)).toBe(200);
    const begun = await visitors.begin(pinned, 0);
    const before = await lettings(on);
    const crowd = visitors.crowd(nodes.slice(0, 3));
    await crowd.untilLetIn(10);
    const from = performance.now();
    cut!.cut();
    await expect.poll(async () => await ready(pinned), { timeout: 30_000 }).toBe(503);
    await expect.poll(() => nodes[0]!.log(), { timeout: 30_000 }).toContain('another member of the database is used');
    await crowd.untilLetIn(30);
    tell(`cut off: nobody came in for ${(crowd.gapSince(from) / 1000).toFixed(1)} s at most`, crowd.others);
    await crowd.end();
    // What was asked there before is answered nowhere as if nothing had happened.
    const code = visitors.fobs[0]!.press();
    expect(await visitors.show(nodes[1]!, await visitors.begin(nodes[1]!, 0), code)).toBe('let-in');
    await expect(visitors.show(pinned, begun, code)).rejects.toMatchObject({ code: 'unavailable' });
    cut!.cut(false);
    await cut!.ready();
    await expect.poll(async () => await ready(pinned), { timeout: 30_000 }).toBe(200);
    expect(await visitors.show(pinned, begun, code)).not.toBe('let-in');
    expect((await lettings(on)) - before).toBeGreaterThanOrEqual(crowd.letIn.length);
    await delay(1_000);
    expect(await alike(on)).toEqual([]);
  });
});
