import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { chore } from '../scripts/lib/installation.mjs';
import { Installation, outcomes, PASSWORD } from './support/installation.js';

let inst: Installation;
beforeAll(async () => {
  inst = await Installation.prepare();
});
afterAll(async () => await inst.stop());

it('makes one owner, however many links are out and are used at the same moment on all nodes', async () => {
  await Promise.all([inst.startNode(), inst.startNode()]);
  const links = inst.nodes.map((node) => /set-up#(\S+)/.exec(node.said())![1]!);
  expect(new Set(links).size).toBe(2);
  for (let i = 0; i < 4; i++)
    links.push(/set-up#(\S+)/.exec(await chore(await inst.environment(), 'set-up-link'))![1]!);
  const tried = await outcomes(
    links.map((secret, i) =>
      createClient({ server: inst.nodes[i % 2]!.url }).call('links.setUp', {
        body: { secret, displayName: `Owner ${i}`, loginName: `owner.${i}`, password: PASSWORD },
      }),
    ),
  );
  expect(tried.filter((one) => one === null)).toHaveLength(1);
  expect(tried.filter((one) => one === 'link-spent')).toHaveLength(links.length - 1);
  expect(await inst.sql("SELECT person_id FROM role_grants WHERE role = 'owner'")).toHaveLength(1);
  expect(await inst.sql('SELECT id FROM persons')).toHaveLength(1);
});
