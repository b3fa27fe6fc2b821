import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { text } from 'node:stream/consumers';
import { setTimeout as delay } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { Visitors } from './support/crowd.js';
import { Installation, type Node } from './support/installation.js';

/** The balancer as the docs have it; no more than its addresses are others. */
const EXAMPLE = join(import.meta.dirname, '../docs/examples/haproxy.cfg');

let inst: Installation;
let visitors: Visitors;
let dir: string;
let balancer: ChildProcess;
let through: Node;
beforeAll(async () => {
  inst = await Installation.start(
    2,
    { NLATCH_DRAIN_SECONDS: '4', NLATCH_TRUSTED_PROXIES: '127.0.0.1' },
    { processes: true },
  );
  visitors = await Visitors.of(inst, 6);
  dir = mkdtempSync(join(tmpdir(), 'nlatch-balancer-'));
  const port = await freePort();
  const [one, two] = inst.nodes.map(({ url }) => new URL(url).host);
  const replaced = [
    ['/run/haproxy/admin.sock mode', `${dir}/admin.sock mode`],
    [/bind .*/, `bind 127.0.0.1:${port}`],
    ['10.20.0.11:8470', one!],
    ['10.20.0.12:8470', two!],
  ] as const;
  const config = replaced.reduce(
    (all, [from, to]) => {
      const made = all.replace(from, to);
      expect(made).not.toBe(all);
      return made;
    },
    readFileSync(EXAMPLE, 'utf8'),
  );
  writeFileSync(join(dir, 'haproxy.cfg'), config);
  // As it is, it has to be sound too, but for the certificate that is not there.
  execFileSync('/usr/sbin/haproxy', ['-c', '-f', join(dir, 'haproxy.cfg')], { stdio: 'pipe' });
  balancer = spawn('/usr/sbin/haproxy', ['-db', '-f', join(dir, 'haproxy.cfg')], { stdio: 'ignore' });
  const url = `http://127.0.0.1:${port}`;
  through = { ...inst.nodes[0]!, url, owner: inst.client(url) };
  while ((await fetch(`${url}/health/ready`).catch(() => undefined))?.status !== 200) await delay(100);
});
afterAll(async () => {
  balancer.kill('SIGKILL');
  await inst.stop();
  rmSync(dir, { recursive: true, force: true });
});

const tell = async (command: string): Promise<string> => {
  const socket = connect(join(dir, 'admin.sock'));
  socket.end(`${command}\n`);
  return await text(socket);
};
/** The balancer's word for each node, by its name. */
const stands = async (): Promise<Record<string, string>> => {
  const [head, ...lines] = (await tell('show stat')).trim().split('\n');
  const columns = head!.replace('# ', '').split(',');
  const rows = lines.map((line) => line.split(','));
  const at = (row: string[], name: string) => row[columns.indexOf(name)]!;
  return Object.fromEntries(
    rows
      .filter((row) => at(row, 'pxname') === 'latch' && at(row, 'svname') !== 'BACKEND')
      .map((row) => [at(row, 'svname'), at(row, 'status')]),
  );
};
const listen = (node: Node) => ({ NLATCH_LISTEN: new URL(node.url).host });
const lettings = async () =>
  Number((await inst.sql<{ n: number }>("SELECT COUNT(*) AS n FROM sign_ins WHERE state = 'let-in'"))[0]!.n);

describe('behind a balancer', () => {
  it('no sign-in is lost while one node after the other is ended, replaced, and taken out by hand', async () => {
    const [one, two] = inst.nodes as [Node, Node];
    const before = await lettings();
    const crowd = visitors.crowd([through]);
    await crowd.untilLetIn(20);
    // Ended in order: it says that it leaves, is taken out, and ends what it has begun.
    const ended = one.stop();
    await expect.poll(async () => (await stands())['one']).toBe('DOWN');
    expect((await fetch(`${one.url}/health/ready`)).status).toBe(503);
    expect((await fetch(`${one.url}/health/live`)).headers.get('connection')).toBe('close');
    expect(await ended).toBe(0);
    await crowd.untilLetIn(20);
    const again = await inst.startNode(listen(one));
    await expect.poll(async () => (await stands())['one']).toBe('UP');
    // Taken out by hand, for as long as somebody likes.
    await tell('set server latch/two state drain');
    await expect.poll(async () => (await stands())['two']).toBe('DRAIN');
    await crowd.untilLetIn(20);
    const served = async (node: Node) => await (await fetch(`${node.url}/health/ready`)).text();
    expect(JSON.parse(await served(two))).toEqual({ ready: true });
    await tell('set server latch/two state ready');
    await expect.poll(async () => (await stands())['two']).toBe('UP');
    expect(await two.stop()).toBe(0);
    await crowd.untilLetIn(20);
    await inst.startNode(listen(two));
    await expect.poll(async () => (await stands())['two']).toBe('UP');
    await crowd.untilLetIn(20);
    await crowd.end();
    expect([...crowd.others]).toEqual([]);
    expect((await lettings()) - before).toBe(crowd.letIn.length);
    expect(again.url).toBe(one.url);
  });

  it('one that is killed takes no more with it than what was under way', async () => {
    const before = await lettings();
    const crowd = visitors.crowd([through]);
    await crowd.untilLetIn(20);
    const node = inst.nodes.find(({ runs }) => runs())!;
    await node.stop('SIGKILL');
    await crowd.untilLetIn(60);
    await crowd.end();
    const lost = [...crowd.others.values()].reduce((sum, n) => sum + n, 0);
    expect(lost).toBeLessThanOrEqual(visitors.fobs.length);
    expect((await lettings()) - before).toBeGreaterThanOrEqual(crowd.letIn.length);
  });
});
