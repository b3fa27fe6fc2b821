import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import type { Deps } from '../deps.js';
import { select, selectOne, selectToWrite, write, type Db } from './sql.js';
import { inTransaction, optimistically, type Opening, type Plan } from './unit-of-work.js';

let inside: Inside;
let db: Db;
beforeAll(async () => {
  inside = await openInside();
  db = { sequelize: inside.deps.sequelize };
  await write(db, 'CREATE TABLE cranes (id INT PRIMARY KEY, lifts INT NOT NULL)');
  await write(db, 'INSERT INTO cranes VALUES (1, 0), (2, 0), (3, 0)');
});
afterAll(async () => await inside.close());

const lifts = async (id: number) =>
  (await selectOne<{ lifts: number }>(db, 'SELECT lifts FROM cranes WHERE id = :id', { id }))!.lifts;
const retries = async (deps: Deps) => (await deps.metrics.retries.get()).values[0]?.value ?? 0;

const opening = (id: number): Opening => ({
  read: { sql: 'SELECT lifts FROM cranes WHERE id = :id', values: { id } },
  ahead: async () => await select(db, 'SELECT lifts FROM cranes WHERE id = :id', { id }),
});

/** Counts one lift on top of what was read; fails where that no longer stands. */
function lift(plan: Plan, id: number): number {
  const { lifts: before } = plan.opened[0] as { lifts: number };
  plan.atEnd({
    sql: 'UPDATE cranes SET lifts = :after WHERE id = :id AND lifts = :before',
    values: { id, before, after: before + 1 },
    matchesOne: true,
  });
  return before + 1;
}

describe('a use case', () => {
  it('whose first run fails on purpose is run again, behind locks, and kept once', async () => {
    const faulty = { ...inside.deps, config: { ...inside.deps.config, faults: 'first-runs' as const } };
    let runs = 0;
    let effects = 0;
    const each = (plan: Plan) => {
      runs += 1;
      plan.afterCommit(() => (effects += 1));
    };
    const ways = [
      async () =>
        await inTransaction(faulty, async (work) => {
          each(work);
          await write(work, 'UPDATE cranes SET lifts = lifts + 1 WHERE id = 3');
        }),
      async () =>
        await optimistically(
          faulty,
          async (plan) => {
            each(plan);
            await Promise.resolve(lift(plan, 3));
          },
          opening(3),
        ),
    ];
    for (const way of ways) {
      const before = await lifts(3);
      [runs, effects] = [0, 0];
      await way();
      expect({ runs, effects, more: (await lifts(3)) - before }).toEqual({ runs: 2, effects: 1, more: 1 });
    }
  });

  it('that opens with a read takes no lock when nobody is in its way', async () => {
    const modes: boolean[] = [];
    const done = await optimistically(
      inside.deps,
      async (plan) => {
        modes.push(plan.locked);
        return await Promise.resolve(lift(plan, 1));
      },
      opening(1),
    );
    expect({ done, modes, now: await lifts(1) }).toEqual({ done: 1, modes: [false], now: 1 });
  });

  it('that plans ahead has no transaction to ask for, in the first run as in those behind locks', async () => {
    const seen: boolean[] = [];
    const faulty = { ...inside.deps, config: { ...inside.deps.config, faults: 'first-runs' as const } };
    await optimistically(
      faulty,
      async (plan) => {
        // @ts-expect-error a plan is given what it may use, and no more
        seen.push((await Promise.resolve(plan.transaction)) !== undefined);
      },
      opening(1),
    );
    expect(seen).toEqual([false, true]);
  });

  it('is run again behind locks when what it read no longer stands, over two processes, and loses no count', async () => {
    const other = await inside.another();
    const before = await lifts(1);
    const modes: boolean[] = [];
    const results = await Promise.all(
      Array.from(
        { length: 40 },
        async (_, i) =>
          await optimistically(
            i % 2 ? other : inside.deps,
            async (plan) => {
              modes.push(plan.locked);
              return await Promise.resolve(lift(plan, 1));
            },
            opening(1),
          ),
      ),
    );
    expect(await lifts(1)).toBe(before + 40);
    // Each was told the count that it alone made.
    expect(new Set(results).size).toBe(40);
    expect(modes.filter((locked) => locked).length).toBeGreaterThan(0);
    expect((await retries(inside.deps)) + (await retries(other))).toBeGreaterThan(0);
  });

  it('is committed with others that are ready at the same moment, and takes none of them along when it fails or has to wait', async () => {
    const all = [11, 12, 13, 14, 15, 16];
    await write(db, `INSERT INTO cranes VALUES ${all.map((id) => `(${id}, 0)`).join(', ')}`);
    const behindLocks: number[] = [];
    const liftAll = (read: (id: number) => Opening) =>
      all.map((id) =>
        optimistically(
          inside.deps,
          async (plan) => {
            if (plan.locked) behindLocks.push(id);
            return await Promise.resolve(lift(plan, id));
          },
          read(id),
        ),
      );
    const stale = (id: number): Opening => ({
      ...opening(id),
      ahead: async () => (id === 13 ? [{ lifts: 7 }] : await opening(id).ahead()),
    });
    expect(await Promise.all(liftAll(stale))).toEqual(all.map(() => 1));
    expect(behindLocks).toEqual([13]);

    const holder = await inside.another();
    let letGo: () => void = () => undefined;
    let holds: () => void = () => undefined;
    const isHeld = new Promise<void>((resolve) => (holds = resolve));
    const held = inTransaction(holder, async (work) => {
      await selectToWrite(work, 'SELECT 1 FROM cranes WHERE id = 14');
      holds();
      await new Promise<void>((resolve) => (letGo = resolve));
    });
    await isHeld;
    const lifts2 = liftAll(opening);
    const others = lifts2.filter((_, i) => all[i] !== 14);
    expect(await Promise.all(others)).toEqual(others.map(() => 2));
    letGo();
    await held;
    expect(await Promise.all(lifts2)).toEqual(all.map(() => 2));
    // Nobody's patience was left short.
    expect((await selectOne<{ seconds: number }>(db, 'SELECT @@innodb_lock_wait_timeout AS seconds'))!.seconds).toBe(
      10,
    );
  });

  it('leaves no trail entry and no open number behind when it fails, in either way of running', async () => {
    const changesItsMind = async (plan: Plan): Promise<void> => {
      await plan.trail({
        actor: { kind: 'host', id: null },
        action: 'key.rotated',
        target: { kind: 'key', id: null },
        person: null,
        origin: null,
        reason: null,
        details: {},
      });
      plan.atEnd({ sql: 'UPDATE cranes SET lifts = 99 WHERE id = 1', values: {} });
      throw new Error('changed its mind');
    };
    await expect(inTransaction(inside.deps, changesItsMind)).rejects.toThrow('changed its mind');
    await expect(optimistically(inside.deps, changesItsMind, opening(1))).rejects.toThrow('changed its mind');
    expect(await lifts(1)).not.toBe(99);
    expect(await select(db, 'SELECT 1 AS one FROM trail_entries')).toEqual([]);
    expect(inside.deps.trail.settledUpTo()).toBe(2);
  });

  it('after a deadlock is run again as a whole, so that both of two that met are done', async () => {
    const before = [await lifts(1), await lifts(2)];
    const both = (first: number, second: number) => {
      let runs = 0;
      return inTransaction(inside.deps, async (work) => {
        await write(work, 'UPDATE cranes SET lifts = lifts + 1 WHERE id = :id', { id: first });
        // The first runs of both hold their first row before either asks for its second.
        if (runs++ === 0) await meet();
        await write(work, 'UPDATE cranes SET lifts = lifts + 1 WHERE id = :id', { id: second });
      });
    };
    let arrived = 0;
    let open: () => void;
    const gate = new Promise<void>((resolve) => (open = resolve));
    const meet = async () => {
      if (++arrived === 2) open();
      await gate;
    };
    await Promise.all([both(1, 2), both(2, 1)]);
    expect([await lifts(1), await lifts(2)]).toEqual([before[0]! + 2, before[1]! + 2]);
  });
});
