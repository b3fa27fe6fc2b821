import { afterAll, beforeAll, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { select, write } from '../../platform/db/sql.js';
import { loadDemo } from '../../host/demo/load.js';
import type { Deps } from '../../platform/deps.js';
import { countedAfter, HOUR_MS, keepSignInHours, lastKept, signInHours, type HourCount } from './sign-in-hours.js';

let inside: Inside;
beforeAll(async () => {
  inside = await openInside();
  await loadDemo(inside.deps, 60);
});
afterAll(async () => await inside.close());

/** Hours and outcomes of every sign-in since, read row by row. */
async function naive(deps: Deps, from: number): Promise<Record<string, number>> {
  const rows = await select<{ id: Buffer; state: string }>(deps, 'SELECT id, state FROM sign_ins');
  const counts: Record<string, number> = {};
  for (const { id, state } of rows) {
    const at = id.readUIntBE(0, 6);
    const shown = state === 'asking' && at < deps.now().getTime() - 5 * 60_000 ? 'expired' : state;
    const name = `${Math.floor(at / HOUR_MS)} ${shown}`;
    if (at >= from) counts[name] = (counts[name] ?? 0) + 1;
  }
  return counts;
}

function sumOf(rows: readonly HourCount[]): Record<string, number> {
  const counts: Record<string, number> = {};
  for (const { hour, state, n } of rows) counts[`${hour} ${state}`] = (counts[`${hour} ${state}`] ?? 0) + n;
  return counts;
}
const counted = async (deps: Deps, from: number) => sumOf(await signInHours(deps, from, deps.now()));

it('sign-ins by hour are the same counted live, kept, and half kept; a quiet stretch is not counted again', async () => {
  const { deps } = inside;
  const days = (n: number) => deps.now().getTime() - n * 24 * HOUR_MS - 1_234_567;
  const expected = await naive(deps, days(29));
  expect(Object.keys(expected).length).toBeGreaterThan(100);
  expect(await counted(deps, days(29))).toEqual(expected);

  const twoDaysAgo: Deps = { ...deps, now: () => new Date(days(2)) };
  await keepSignInHours(twoDaysAgo);
  for (const from of [29, 2, 1, 0.01]) expect(await counted(deps, days(from))).toEqual(await naive(deps, days(from)));
  await keepSignInHours(deps);
  expect(await counted(deps, days(29))).toEqual(expected);
  expect(await keepSignInHours(deps)).toBe('0 hours counted');

  // Hours that are kept just after somebody has seen which are, and before they are read, are counted once.
  await write(deps, 'DELETE FROM sign_in_hours WHERE hour > :from', { from: Math.floor(days(3) / HOUR_MS) });
  const seen = await lastKept(deps);
  expect(await keepSignInHours(deps)).not.toBe('0 hours counted');
  expect(sumOf(await countedAfter(deps, days(29), deps.now(), seen))).toEqual(expected);

  // What is kept is told, not counted anew.
  await write(deps, "UPDATE sign_in_hours SET n = n + 1000 WHERE state = 'let-in' ORDER BY hour DESC LIMIT 1");
  const total = (counts: Record<string, number>) => Object.values(counts).reduce((sum, n) => sum + n, 0);
  expect(total(await counted(deps, days(29)))).toBe(total(expected) + 1000);
});
