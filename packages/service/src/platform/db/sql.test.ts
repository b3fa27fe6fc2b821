import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { isRetryable } from './errors.js';
import { insertAll } from './bulk-insert.js';
import { writeAndCommit } from './transaction-blocks.js';
import { carryOut, likePrefix, select, selectOne, transact, updateOf, write, type Db } from './sql.js';

let inside: Inside;
let db: Db;
beforeAll(async () => {
  inside = await openInside();
  db = { sequelize: inside.deps.sequelize };
  await write(
    db,
    'CREATE TABLE berths (id BINARY(16) PRIMARY KEY, name VARCHAR(60), at DATETIME(3), tons BIGINT, draught DOUBLE, open BOOLEAN, version INT NOT NULL DEFAULT 1)',
  );
});
afterAll(async () => await inside.close());

const id = (n: number) => Buffer.alloc(16, n);
const row = (n: number, more: object = {}) => ({
  id: id(n),
  name: `berth ${n}`,
  at: new Date('2026-11-23T10:11:12.345Z'),
  tons: 1,
  draught: 0.25,
  open: true,
  ...more,
});

describe('statements', () => {
  it('send and read every kind of value whole, to the millisecond and beyond 32 bits', async () => {
    const whole = new Date('2026-03-29T01:30:00.000Z');
    await insertAll(db, 'berths', [
      row(1, { tons: 5_000_000_000, name: "O'Hara 🚢 :at ?" }),
      row(2, { at: whole, draught: null, open: false }),
    ]);
    const rows = await select<{ name: string; at: Date; tons: number; draught: number | null; open: number }>(
      db,
      'SELECT * FROM berths ORDER BY id',
    );
    expect(rows[0]).toMatchObject({ name: "O'Hara 🚢 :at ?", tons: 5_000_000_000, draught: 0.25, open: 1 });
    expect(rows[0]!.at.toISOString()).toBe('2026-11-23T10:11:12.345Z');
    expect(rows[1]).toMatchObject({ at: whole, draught: null, open: 0 });
    // Storage is UTC, whatever zone the process believes in.
    const stored = await selectOne<{ at: string }>(db, 'SELECT CAST(at AS CHAR) AS at FROM berths WHERE id = :id', {
      id: id(2),
    });
    expect(stored!.at).toBe('2026-03-29 01:30:00.000');
    expect(
      await selectOne(db, 'SELECT 1 AS one FROM berths WHERE at = :at AND tons = :tons', {
        at: new Date('2026-11-23T10:11:12.345Z'),
        tons: 5_000_000_000,
      }),
    ).toEqual({ one: 1 });
  });

  it('step over literals, take a name twice, and lists of any length; a value that is missing is a mistake', async () => {
    const found = await selectOne<{ text: string; twice: number }>(
      db,
      "SELECT 'it''s :noName?' AS text, :n + :n AS twice",
      { n: 4 },
    );
    expect(found).toEqual({ text: "it's :noName?", twice: 8 });
    await insertAll(
      db,
      'berths',
      Array.from({ length: 37 }, (_, i) => row(10 + i)),
    );
    for (const length of [1, 2, 3, 5, 37]) {
      const ids = Array.from({ length }, (_, i) => id(10 + i));
      const [count] = await select<{ n: number }>(
        db,
        "SELECT COUNT(*) AS n FROM berths WHERE id IN (:ids) AND name <> ':ids'",
        { ids },
      );
      expect(count!.n).toBe(length);
    }
    await expect(select(db, 'SELECT :here AS a', { there: 1 })).rejects.toThrow('No value for :here');
  });

  it('update by version, and keep wildcards of a prefix literal', async () => {
    expect(await carryOut(db, updateOf('berths', id(10), { name: '100 % full_' }, 1))).toBe(1);
    expect(await carryOut(db, updateOf('berths', id(10), { name: 'lost' }, 1))).toBe(0);
    for (const [prefix, n] of [
      ['100 %', 1],
      ['100 %%', 0],
      ['100 % full_', 1],
      ['100 _', 0],
    ] as const)
      expect(
        await selectOne(db, 'SELECT COUNT(*) AS n FROM berths WHERE name LIKE :prefix', { prefix: likePrefix(prefix) }),
      ).toEqual({ n });
  });

  it('a compound write holds whole or not at all, and asks to be run again where a row no longer matched', async () => {
    const rename = (version: number) => ({
      sql: 'UPDATE berths SET name = :name, version = version + 1 WHERE id = :id AND version = :version',
      values: { id: id(11), name: 'renamed', version },
      matchesOne: true,
    });
    const other = { sql: 'UPDATE berths SET name = :name WHERE id = :id', values: { id: id(12), name: 'too' } };
    const attempt = async (version: number) =>
      await inside.deps.sequelize.transaction(
        async (transaction) => await writeAndCommit(transaction, [other, rename(version)]),
      );
    const error: unknown = await attempt(7).catch((caught: unknown) => caught);
    expect(isRetryable(error)).toBe(true);
    expect(await selectOne(db, 'SELECT name FROM berths WHERE id = :id', { id: id(12) })).toEqual({ name: 'berth 12' });
    await attempt(1);
    expect(
      await select(db, 'SELECT name FROM berths WHERE id IN (:ids) ORDER BY id', { ids: [id(11), id(12)] }),
    ).toEqual([{ name: 'renamed' }, { name: 'too' }]);
  });

  it('none runs in a transaction that has ended: another may have its connection by then', async () => {
    const kept = await transact(inside.deps.sequelize, (work) => Promise.resolve(work));
    await expect(write(kept, "UPDATE berths SET name = 'late'")).rejects.toThrow(/has ended/);
    await expect(insertAll(kept, 'berths', [row(99, { name: 'late' })])).rejects.toThrow(/has ended/);
    expect(await selectOne(db, "SELECT COUNT(*) AS n FROM berths WHERE name = 'late'")).toEqual({ n: 0 });
  });

  it('a transaction that throws leaves nothing, and gives its connection back clean', async () => {
    await expect(
      transact(inside.deps.sequelize, async (work) => {
        await write(work, 'DELETE FROM berths');
        throw new Error('stop');
      }),
    ).rejects.toThrow('stop');
    const [left] = await select<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM berths');
    expect(left!.n).toBe(39);
  });
});
