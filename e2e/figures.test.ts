import type { Client } from '@nimble-latch/api/client';
import { COVERAGES, FIGURE_PERIODS, TOKEN_STATES, type Sent } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { chore } from '../scripts/lib/installation.mjs';
import { administrator } from './support/administrators.js';
import { accessible, intoConsole, openPage } from './support/browser.js';
import { Installation } from './support/installation.js';

/** What is drawn and counted beside the rail is held against the lists behind it. */
let inst: Installation;
let owner: Client;
beforeAll(async () => {
  inst = await Installation.prepare();
  const env = await inst.environment();
  await chore(env, 'demo', '--people', '60');
  inst.ownerToken = await chore(env, 'owner-token', '--for', 'ines.marlow');
  await inst.startNode();
  owner = inst.owner;
});
afterAll(async () => await inst.stop());

/** How many rows a list has, read to its end. */
async function lengthOf(
  page: (cursor: string | undefined) => Promise<{ rows: readonly unknown[]; next: string | null }>,
) {
  let n = 0;
  let cursor: string | undefined;
  do {
    const { rows, next } = await page(cursor);
    n += rows.length;
    cursor = next ?? undefined;
  } while (cursor !== undefined);
  return n;
}
const people = async (filter: Sent<'people.list', 'query'>) =>
  await lengthOf(async (cursor) => await owner.call('people.list', { query: { ...filter, limit: 200, cursor } }));
const signIns = async (filter: Sent<'activity.list', 'query'>) =>
  await lengthOf(async (cursor) => await owner.call('activity.list', { query: { ...filter, limit: 200, cursor } }));

describe('figures', () => {
  it('of groups are those of the list of people, group by group, the largest first', async () => {
    const { rows, groups } = await owner.call('figures.groups');
    expect(rows.length).toBe(Math.min(12, groups));
    expect(rows.length).toBeGreaterThan(4);
    for (const { group, coverage } of rows)
      for (const one of COVERAGES)
        expect(await people({ group: group.id, coverage: one, state: 'active' })).toBe(coverage[one]);
    const sizes = await Promise.all(rows.map(async ({ group }) => await people({ group: group.id })));
    expect(sizes).toEqual(sizes.toSorted((a, b) => b - a));
  });

  it.each(FIGURE_PERIODS)(
    'of sign-ins over a %s stand in even stretches without a gap, each with what the list has of it',
    async (period) => {
      const { rows } = await owner.call('figures.signIns', { query: { period } });
      const lasts = new Set(rows.map(({ from, to }) => Date.parse(to) - Date.parse(from)));
      expect(lasts.size).toBe(1);
      for (const [i, { to }] of rows.slice(0, -1).entries()) expect(rows[i + 1]!.from).toBe(to);
      expect(Date.parse(rows.at(-1)!.from)).toBeLessThanOrEqual(Date.now());
      expect(Date.parse(rows.at(-1)!.to)).toBeGreaterThan(Date.now());
      const total = ({ signIns: of }: (typeof rows)[number]) => Object.values(of).reduce((sum, n) => sum + n, 0);
      const busiest = rows.toSorted((a, b) => total(b) - total(a))[0]!;
      expect(await signIns({ since: busiest.from, until: busiest.to })).toBe(total(busiest));
      if (period === 'month') expect(total(busiest)).toBeGreaterThan(0);
    },
  );

  it('of tokens are those in stock or with somebody, by year', async () => {
    const { rows } = await owner.call('figures.tokens');
    const { states } = await owner.call('stock.counts');
    for (const state of TOKEN_STATES) {
      const drawn = rows.reduce((sum, row) => sum + (row.states[state] ?? 0), 0);
      expect(drawn).toBe(['retired', 'lost', 'broken'].includes(state) ? 0 : (states[state] ?? 0));
    }
    expect(rows.map(({ year }) => year)).toEqual(rows.map(({ year }) => year).toSorted());
  });

  it('of sources tell each sign-in whose address is known once, by its narrowest network', async () => {
    const { rows, signIns: of, all, since } = await owner.call('figures.sources');
    expect(all).toBe(true);
    const known = await inst.sql<{ n: number }>(
      'SELECT COUNT(*) AS n FROM sign_ins WHERE source_address IS NOT NULL AND begun_at >= ?',
      [new Date(since)],
    );
    expect(of).toBe(Number(known[0]!.n));
    expect(rows.reduce((sum, { letIn, others }) => sum + letIn + others, 0)).toBe(of);
    const names = (await owner.call('networks.list')).rows.map(({ name }) => name);
    for (const { network } of rows) expect([...names, null]).toContain(network);
    expect(new Set(rows.map(({ network }) => network)).size).toBe(rows.length);
  });
});

describe('what waits', () => {
  it('is what the pages show, and changes with it', async () => {
    const overview = await owner.call('overview.show');
    const before = await owner.call('overview.waiting');
    expect(before).toEqual({
      signatures: 0,
      hands: overview.needsHand.length + overview.compromisedModels.length,
      disputes: overview.openDisputes,
      invitations: overview.stuckInvitations,
      messages: (await owner.call('system.show')).outbox.failed,
    });
    // Somebody is locked out by wrong tries: from then on they need a hand.
    await inst.sql(
      `UPDATE authenticators a JOIN persons p ON p.id = a.person_id SET a.stranger_failures = 100, a.stranger_paused_until = UTC_TIMESTAMP(3)
       WHERE a.id = (SELECT id FROM (SELECT b.id FROM authenticators b JOIN persons q ON q.id = b.person_id
         WHERE b.state = 'active' AND q.state = 'active' AND b.stranger_failures = 0 LIMIT 1) one)`,
    );
    expect((await owner.call('overview.waiting')).hands).toBe(before.hands! + 1);
  });

  it('is not told to whoever may not see all of it', async () => {
    const [group] = (await owner.call('groups.list')).rows;
    const { client } = await administrator(inst, 'one.group', 'help-desk', [group!.id]);
    const told = await client.call('overview.waiting');
    expect(told).toEqual({ signatures: 0, hands: null, disputes: null, invitations: null, messages: null });
  });
});

it('is drawn, with a table behind each picture, for the keyboard too, and every bar leads to what it counts', async () => {
  const { browser, page, complaints } = await openPage();
  try {
    await intoConsole(page, inst.url);
    const hands = (await owner.call('overview.waiting')).hands!;
    await page.getByRole('link', { name: `Overview ${hands} need a hand` }).waitFor();
    await page.getByRole('link', { name: 'Figures' }).click();
    await page.getByRole('heading', { name: 'Figures', level: 1 }).waitFor();
    await expect.poll(async () => await page.locator('.recharts-surface').count()).toBeGreaterThanOrEqual(4);
    await accessible(page, 'figures');
    // A period is part of the address, so that it can be sent to somebody.
    await page.getByRole('button', { name: /How far back/ }).click();
    await page.getByRole('option', { name: 'the last week, by six hours' }).click();
    await expect.poll(() => page.url()).toContain('period=week');
    // By the keyboard along the bars: each says what it counts.
    const groups = page.getByRole('region', { name: 'How the people of each group are covered' });
    await page.mouse.move(0, 0);
    await groups.getByRole('application').focus();
    await page.keyboard.press('ArrowDown');
    const { rows } = await owner.call('figures.groups');
    await groups.locator('.recharts-tooltip-wrapper strong').getByText(rows[1]!.group.name, { exact: true }).waitFor();
    // And as a table, each line of which opens its names.
    await groups.getByText('As a table').click();
    const first = rows[0]!;
    const cells = await groups.getByRole('row', { name: first.group.name }).getByRole('gridcell').allTextContents();
    expect(cells.map(Number)).toEqual(COVERAGES.toReversed().map((one) => first.coverage[one]));
    await groups.getByRole('link', { name: first.group.name }).click();
    await expect.poll(() => page.url()).toContain(`/people?group=${first.group.id}&state=active`);
    await page.setViewportSize({ width: 360, height: 800 });
    await page.emulateMedia({ colorScheme: 'dark' });
    await page.goto(`${inst.url}/figures`);
    await expect.poll(async () => await page.locator('.recharts-surface').count()).toBeGreaterThanOrEqual(4);
    await accessible(page, 'figures, narrow and dark', true);
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360);
    expect(complaints).toEqual([]);
  } finally {
    await browser.close();
  }
});
