import { FIRST_METHODS } from '@nimble-latch/core/methods';
import { describe, expect, it } from 'vitest';
import type { Deps } from '../../platform/deps.js';
import { beginsHere, isBegunHere } from './here.js';

const NOW = new Date('2026-11-30T09:00:00Z');
/** As much as it asks of a node where phones may be asked, or not. */
const nodeWith = (cells: object): Pick<Deps, 'methods' | 'now'> => ({
  now: () => NOW,
  methods: {
    current: () => Promise.resolve({ settings: { rows: [{ group: null, cells }] } }),
  } as unknown as Deps['methods'],
});
const WITH_PHONES = nodeWith({ push: { enrol: true, purposes: ['sign-in'] } });
const idOf = (n: number) => `01a22bb4-2b5d-7000-808d-${String(n).padStart(12, '0')}`;
const inCookie = (token: string | null) => ({ '__Host-nlatch-here': token ?? undefined });

describe('what a browser has begun', () => {
  it('is known of each of the last eight, and of no other', async () => {
    let cookies: ReturnType<typeof inCookie> = inCookie(null);
    for (let n = 1; n <= 12; n++) {
      const [set] = await beginsHere(WITH_PHONES, cookies, idOf(n));
      expect(set!.name).toBe('__Host-nlatch-here');
      expect(set!.expiresAt!.getTime() - NOW.getTime()).toBe(15 * 60_000);
      cookies = inCookie(set!.token);
      for (let of = 1; of <= n; of++) expect([n, of, isBegunHere(cookies, idOf(of))]).toEqual([n, of, of > n - 8]);
      expect(isBegunHere(cookies, idOf(n + 1))).toBe(false);
    }
  });

  it('is kept nowhere where nobody’s phone can be asked', async () => {
    expect(await beginsHere(nodeWith(FIRST_METHODS.rows[0]!.cells), {}, idOf(1))).toEqual([]);
  });

  it('is nothing where nothing was begun, whatever somebody wrote there', async () => {
    const token = async (before: string) => (await beginsHere(WITH_PHONES, inCookie(before), idOf(2)))[0]!.token;
    expect(isBegunHere({}, idOf(1))).toBe(false);
    for (const odd of ['', '.', '...', 'x'.repeat(5_000), `${idOf(1)}x`, idOf(1).toUpperCase(), ` ${idOf(1)}`]) {
      expect([odd.slice(0, 40), isBegunHere(inCookie(odd), idOf(1))]).toEqual([odd.slice(0, 40), false]);
      expect(isBegunHere(inCookie(odd), odd)).toBe(false);
      // And it is gone with the next that is begun.
      expect(await token(odd)).toBe(idOf(2));
    }
    // What is ours in between stays.
    expect(await token(`odd.${idOf(1)}.odd`)).toBe(`${idOf(2)}.${idOf(1)}`);
  });
});
