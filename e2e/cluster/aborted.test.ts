import { setTimeout as delay } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { insertAll } from '../../packages/service/src/platform/db/bulk-insert.js';
import { insertion, select, selectOne, updateOf, write, type Db } from '../../packages/service/src/platform/db/sql.js';
import { inTransaction, type Work } from '../../packages/service/src/platform/db/unit-of-work.js';
import type { Deps } from '../../packages/service/src/platform/deps.js';
import { prepareOnCluster, type OnCluster } from '../support/cluster.js';

let on: OnCluster;
let deps: Deps[];
beforeAll(async () => {
  on = await prepareOnCluster();
  deps = [];
  for (const member of on.cluster.members) deps.push(await on.inside(member));
  await write(
    deps[0]!,
    'CREATE TABLE berths (id BINARY(16) PRIMARY KEY, name VARCHAR(60) NOT NULL, tons BIGINT NOT NULL, version INT NOT NULL DEFAULT 1)',
  );
  await write(
    deps[0]!,
    'CREATE TABLE moves (id BINARY(16) PRIMARY KEY, part TINYINT NOT NULL, of BINARY(16) NOT NULL)',
  );
  await agree('berths');
});
afterAll(async () => await on.stop());

const id = (n: number) => Buffer.from(n.toString(16).padStart(32, '0'), 'hex');
const berth = (n: number, tons = 100) => ({ id: id(n), name: `berth ${n}`, tons });

/** Until every member has what was written before. */
async function agree(table: string): Promise<void> {
  for (const one of deps) await select(one, `SELECT 1 AS one FROM ${table} LIMIT 1`).catch(() => delay(500));
}

/** Another member writes the row that this one's transaction holds, and this one has carried that out. */
async function abort(row: number): Promise<void> {
  const [here, there] = [deps[0]!, deps[1]!];
  const aborts = async () => Number(await on.cluster.members[0]!.status('wsrep_local_bf_aborts'));
  const before = await aborts();
  expect(await write(there, 'UPDATE berths SET tons = tons + 1000 WHERE id = :id', { id: id(row) })).toBe(1);
  while ((await aborts()) === before) await delay(5);
  // The transaction has been taken back when somebody else can have its locks.
  await write(here, 'UPDATE berths SET tons = tons WHERE id = :id', { id: id(row) });
}

describe('a transaction that a member aborts for another', () => {
  /** Each of them would do harm by itself, and each travels in another way. */
  const steps =
    (run: (step: number, what: () => Promise<unknown>) => Promise<void>, n: number) => async (work: Work) => {
      await write(work, 'UPDATE berths SET tons = tons + 1 WHERE id = :id', { id: id(n) });
      await run(
        0,
        async () => await write(work, 'UPDATE berths SET tons = tons - 1 WHERE id = :id', { id: id(n + 1) }),
      );
      await run(1, async () => await selectOne(work, 'SELECT tons FROM berths WHERE id = :id', { id: id(n + 2) }));
      await run(2, async () => await insertAll(work, 'berths', [berth(n + 10), berth(n + 11)]));
      await run(3, async () => await insertAll(work, 'berths', [berth(n + 12)]));
      await run(
        4,
        async () =>
          await work.sequelize.query(`UPDATE berths SET name = 'renamed' WHERE tons = -1`, {
            transaction: work.transaction,
            type: 'UPDATE' as never,
          }),
      );
      await run(
        5,
        async () => await select(work, 'SELECT id FROM berths WHERE id IN (:ids)', { ids: [id(n), id(n + 1)] }),
      );
      work.atEnd(updateOf('berths', id(n + 2), { tons: 7 }));
      work.atEnd(insertion('berths', berth(n + 13)));
      await run(6, async () => await Promise.resolve());
    };

  it('is run again whole, at whichever statement it was aborted, and keeps nothing of the run before', async () => {
    for (let round = 0; round < 3; round++)
      for (let at = 0; at <= 6; at++) {
        const n = 10_000 + (round * 10 + at) * 100;
        await insertAll(deps[0]!, 'berths', [berth(n), berth(n + 1), berth(n + 2)]);
        let runs = 0;
        await inTransaction(deps[0]!, async (work) => {
          runs += 1;
          const first = runs === 1;
          await steps(async (step, what) => {
            if (first && step === at) await abort(n);
            await what();
          }, n)(work);
        });
        const where = `round ${round}, before statement ${at}`;
        expect(runs, where).toBe(2);
        const rows = await select<{ id: Buffer; tons: number }>(
          deps[0]!,
          'SELECT id, tons FROM berths WHERE id BETWEEN :from AND :to ORDER BY id',
          { from: id(n), to: id(n + 99) },
        );
        expect(
          rows.map((row) => [parseInt(row.id.toString('hex'), 16) - n, row.tons]),
          where,
        ).toEqual([
          [0, 1101],
          [1, 99],
          [2, 7],
          [10, 100],
          [11, 100],
          [12, 100],
          [13, 100],
        ]);
      }
  });

  it('is acknowledged whole or not at all, while all members write the same rows', async () => {
    const first = 1_000;
    const BERTHS = 6;
    await insertAll(
      deps[0]!,
      'berths',
      Array.from({ length: BERTHS }, (_, i) => berth(first + i)),
    );
    await agree('berths');
    let next = 500_000;
    const acknowledged: Buffer[] = [];
    const move = async (on: Deps) => {
      const of = id(next++);
      const parts = [id(next++), id(next++), id(next++)] as const;
      const [from, to] = [Math.floor(Math.random() * BERTHS), Math.floor(Math.random() * BERTHS)];
      await inTransaction(on, async (work) => {
        const change = async (n: number, by: number) =>
          await write(work, 'UPDATE berths SET tons = tons + :by WHERE id = :id', { id: id(first + n), by });
        await write(work, 'INSERT INTO moves VALUES (:id, 0, :of)', { id: parts[0], of });
        await change(from, -1);
        await selectOne(work, 'SELECT tons FROM berths WHERE id = :id', { id: id(first + to) });
        await change(to, 1);
        await write(work, 'INSERT INTO moves VALUES (:id, 1, :of)', { id: parts[1], of });
        work.atEnd({ sql: 'INSERT INTO moves VALUES (:id, 2, :of)', values: { id: parts[2], of } });
      });
      acknowledged.push(of);
    };
    const given = await Promise.allSettled(
      deps.flatMap((one) =>
        Array.from({ length: 4 }, async () => {
          for (let i = 0; i < 50; i++)
            await move(one).catch((error: unknown) =>
              expect(error).toMatchObject({ errno: expect.any(Number) as number }),
            );
        }),
      ),
    );
    expect(given.filter(({ status }) => status === 'rejected')).toEqual([]);
    await agree('moves');
    const db: Db = deps[2]!;
    const sum = await selectOne<{ n: number }>(db, 'SELECT SUM(tons) AS n FROM berths WHERE id BETWEEN :from AND :to', {
      from: id(first),
      to: id(first + BERTHS - 1),
    });
    const parts = await select<{ of: Buffer; n: number }>(db, 'SELECT of, COUNT(*) AS n FROM moves GROUP BY of');
    expect(Number(sum!.n)).toBe(BERTHS * 100);
    expect(parts.filter(({ n }) => n !== 3)).toEqual([]);
    expect(parts).toHaveLength(acknowledged.length);
    expect(acknowledged.length).toBeGreaterThan(300);
  });
});
