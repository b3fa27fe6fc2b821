import { setTimeout as delay } from 'node:timers/promises';
import type { Client } from '@nimble-latch/api/client';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { Fob } from './support/counters.js';
import { connectedApplication, Installation, PASSWORD } from './support/installation.js';
import { ShakyNetwork } from './support/shaky-network.js';

/** How long the database stays away: long enough for whatever piles up meanwhile to show. */
const AWAY_MS = Number(process.env['NLATCH_TEST_AWAY_SECONDS'] ?? 150) * 1_000;
const VISITORS = 6;
/** Somebody beside them, who sees whether anybody gets in: two who pressed one device at once would use up each other's codes. */
const ONE_MORE = VISITORS;

let inst: Installation;
let way: ShakyNetwork;
let at: Client;
let url: string;
const fobs: Fob[] = [];
beforeAll(async () => {
  inst = await Installation.start();
  way = new ShakyNetwork(inst.database.port);
  await way.open();
  const node = await inst.startNode({ NLATCH_DATABASE_PORT: String(way.port) });
  const app = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] });
  ({ url } = node);
  at = inst.client(url, app.key);
  for (let i = 0; i <= VISITORS; i++) {
    const name = `visitor.${i}`;
    const { id } = await inst.owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
    await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    const fob = new Fob(`ZZ-${1_000 + i}`);
    const tokenId = await fob.into(inst.owner, id);
    await inst.owner.call('tokens.prove', { params: { id, tokenId }, body: { codes: [fob.press(), fob.press()] } });
    fobs.push(fob);
  }
});
afterAll(async () => {
  await way.open();
  await inst.stop();
  await way.cut();
});

/** One sign-in; answers what came of it, and how long that took. */
async function visit(i: number): Promise<{ what: string; ms: number }> {
  const from = performance.now();
  const what = await (async () => {
    const claims = { passwordChecked: true as const };
    const { id } = await at.call('signIns.begin', { body: { loginName: `visitor.${i}`, claims } });
    return (await at.call('signIns.prove', { params: { id }, body: { kind: 'code', value: fobs[i]!.press() } })).state;
  })().catch((error: { code?: string }) => error.code ?? 'no code');
  return { what, ms: performance.now() - from };
}

/** How long the node takes for an answer that needs no database: what a busy machine adds to every other. */
async function bareAnswer(): Promise<number> {
  const from = performance.now();
  await (await fetch(`${url}/health/live`)).text();
  return performance.now() - from;
}

/** Visitors who try again and again until they are told to stop, and somebody beside them who asks for nothing of the database. */
function crowd() {
  let over = false;
  const seen: { what: string; ms: number }[] = [];
  let slowestBare = 0;
  const again = async (once: () => Promise<void>) => {
    while (!over) {
      await once();
      await delay(50);
    }
  };
  const all = Promise.all([
    ...Array.from({ length: VISITORS }, async (_, i) => await again(async () => void seen.push(await visit(i)))),
    again(async () => {
      slowestBare = Math.max(slowestBare, await bareAnswer());
    }),
  ]);
  return {
    seen,
    async end(): Promise<void> {
      over = true;
      await all;
    },
    /** The slowest of these answers, less what the slowest one that needs no database took at the same time. */
    waited: (answers: readonly { ms: number }[]): number => Math.max(0, ...answers.map(({ ms }) => ms - slowestBare)),
  };
}

/** How long it takes until somebody gets in again. */
async function untilLetIn(): Promise<number> {
  const from = performance.now();
  for (;;) {
    const { what } = await visit(ONE_MORE);
    if (what === 'let-in') return performance.now() - from;
    if (performance.now() - from > 30_000) throw new Error(`nobody gets in: ${what}`);
    await delay(20);
  }
}

const readiness = async () => {
  const from = performance.now();
  const answer = await fetch(`${url}/health/ready`, { signal: AbortSignal.timeout(10_000) });
  return { status: answer.status, retry: answer.headers.get('retry-after'), ms: performance.now() - from };
};

describe('a database that is away', () => {
  // What went wrong in one of these must not go wrong in the next for that alone.
  beforeEach(async () => {
    way.thaw();
    await way.open();
    await untilLetIn();
  });

  it(
    `for ${AWAY_MS / 1000} s under load is used again within two seconds of its return`,
    { timeout: AWAY_MS + 90_000 },
    async () => {
      expect((await visit(0)).what).toBe('let-in');
      const before = crowd();
      await way.cut();
      await delay(AWAY_MS);
      expect(await readiness()).toMatchObject({ status: 503, retry: '1' });
      await before.end();
      const refused = before.seen.filter(({ what }) => what === 'unavailable');
      expect(refused.length).toBeGreaterThan((AWAY_MS / 1000) * VISITORS);
      // While it is known to be away, nobody waits to be told so.
      expect(before.waited(refused.slice(VISITORS * 2))).toBeLessThan(1_500);
      await way.open();
      expect(await untilLetIn()).toBeLessThan(2_000);
      expect(await readiness()).toMatchObject({ status: 200 });
    },
  );

  it('without saying so is found out, told to everybody in time, and used again when it thaws', async () => {
    const during = crowd();
    await delay(500);
    way.freeze();
    await delay(200);
    const first = await readiness();
    expect([first.status, first.ms < 3_000 + (await bareAnswer())]).toEqual([503, true]);
    await delay(9_000);
    const later = await readiness();
    expect([later.status, later.ms < 500 + (await bareAnswer())]).toEqual([503, true]);
    way.thaw();
    const back = await untilLetIn();
    await during.end();
    expect(back).toBeLessThan(2_000);
    // The longest was in flight when nothing came any more.
    expect(during.waited(during.seen)).toBeLessThan(7_000);
    expect(new Set(during.seen.map(({ what }) => what))).toEqual(new Set(['let-in', 'unavailable']));
  });
});
