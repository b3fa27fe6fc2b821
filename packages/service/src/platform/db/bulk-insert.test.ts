import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Connection } from 'mariadb';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { asOneCommand, insertAll } from './bulk-insert.js';
import { claimWhatIsLocked } from './claims.js';
import { isRetryable } from './errors.js';
import { select, selectOne, transact, withConnection, write, type Db, type SqlValue, type SqlValues } from './sql.js';

let inside: Inside;
let db: Db;
let clustered = false;
beforeAll(async () => {
  inside = await openInside();
  db = { sequelize: inside.deps.sequelize };
  claimWhatIsLocked(inside.deps.sequelize, () => clustered);
  await write(
    db,
    `CREATE TABLE moorings (n INT PRIMARY KEY, id BINARY(16), name VARCHAR(60), at DATETIME(3), tons BIGINT, draught DOUBLE,
       open BOOLEAN)`,
  );
});
afterAll(async () => await inside.close());

/** Values of every kind, with gaps, in every order. */
function someRow(n: number, random: () => number): SqlValues {
  const oneOf = (...values: SqlValue[]): SqlValue => values[Math.floor(random() * values.length)]!;
  return {
    n,
    id: oneOf(null, Buffer.alloc(16, n)),
    name: oneOf(null, '', "O'Hara 🚢 ?", 'a'.repeat(60)),
    at: oneOf(null, new Date('2026-03-29T01:30:00.000Z'), new Date('2026-11-23T10:11:12.345Z')),
    tons: oneOf(null, 0, -1, 0x7fff_ffff, 0x7fff_fffe, -0x8000_0000, 5_000_000_000, -5_000_000_000),
    draught: oneOf(null, 0, 0.25, -1.5e-7, 3),
    open: oneOf(null, true, false),
  };
}

/** A small generator of its own, so that a failure can be told by its seed. */
function randomFrom(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_103_515_245) + 12_345) >>> 0;
    return state / 2 ** 32;
  };
}

describe('many rows', () => {
  it('come back as they were sent, whatever is mixed in a column, in a transaction or by themselves, on one server and on a cluster', async () => {
    const columns: readonly string[] = ['n', 'id', 'name', 'at', 'tons', 'draught', 'open'];
    for (let seed = 1; seed <= 32; seed++) {
      clustered = seed % 4 === 0;
      const random = randomFrom(seed);
      // Some of them without gaps, so that every way of sending is taken.
      const made = Array.from({ length: [1, 2, 250, 251, 1_003][seed % 5]! }, (_, n) => someRow(n, random));
      const rows: readonly SqlValues[] =
        seed % 3 === 0 ? made.map((row) => ({ ...row, id: Buffer.alloc(16, 7) })) : made;
      await write(db, 'DELETE FROM moorings');
      if (seed % 8 < 4) await insertAll(db, 'moorings', rows);
      else await transact(inside.deps.sequelize, async (work) => await insertAll(work, 'moorings', rows));
      const stored = await select<Record<string, SqlValue>>(db, 'SELECT * FROM moorings ORDER BY n');
      const seen = stored.map((row) => columns.map((column) => row[column]!));
      const sent = rows.map((row) =>
        columns.map((column): SqlValue => {
          const value = row[column]!;
          return typeof value === 'boolean' ? Number(value) : value;
        }),
      );
      expect(seen, `seed ${seed}`).toEqual(sent);
    }
    clustered = false;
  });

  it('are one command to the server: none is kept when another is refused', async () => {
    await write(db, 'DELETE FROM moorings');
    const rows = Array.from({ length: 400 }, (_, n) => ({ ...someRow(n, randomFrom(n)), id: null, n: n % 399 }));
    await expect(insertAll(db, 'moorings', rows)).rejects.toThrow(/Duplicate/);
    expect(await selectOne(db, 'SELECT COUNT(*) AS n FROM moorings')).toEqual({ n: 0 });
  });

  it('leave nothing behind where the transaction is ended in between', async () => {
    await write(db, 'DELETE FROM moorings');
    const rows = (from: number) =>
      Array.from({ length: 1_500 }, (_, n) => ({ ...someRow(from + n, randomFrom(n)), id: null }));
    const error: unknown = await transact(inside.deps.sequelize, async (work) => {
      await insertAll(work, 'moorings', rows(0));
      const { connection } = work.transaction as unknown as { connection: Connection };
      await connection.query('ROLLBACK');
      await insertAll(work, 'moorings', rows(2_000));
    }).catch((caught: unknown) => caught);
    expect(isRetryable(error)).toBe(true);
    expect(await selectOne(db, 'SELECT COUNT(*) AS n FROM moorings')).toEqual({ n: 0 });
  });

  it('are one command of the driver, which would begin another for a value of another type', async () => {
    const commands = async (connection: Connection) => {
      const [row] = await connection.query<{ Value: string }[]>("SHOW SESSION STATUS LIKE 'Com_stmt_execute'");
      return Number(row!.Value);
    };
    await withConnection(inside.deps.sequelize, async (connection) => {
      for (let seed = 1; seed <= 20; seed++) {
        await connection.query('DELETE FROM moorings');
        const random = randomFrom(seed);
        const rows = Array.from({ length: 60 }, (_, n) => Object.values({ ...someRow(n, random), id: null, at: null }));
        const made = asOneCommand(rows)!;
        const before = await commands(connection);
        await connection.batch('INSERT INTO moorings VALUES (?, ?, ?, ?, ?, ?, ?)', made);
        const between = await commands(connection);
        expect(between - before, `seed ${seed}`).toBe(1);
        await connection.query('DELETE FROM moorings');
        await connection.batch('INSERT INTO moorings VALUES (?, ?, ?, ?, ?, ?, ?)', rows);
        expect((await commands(connection)) - between, `seed ${seed}`).toBeGreaterThan(1);
      }
    });
  });

  it('are not made one command of where that can not be had', () => {
    const bytes = Buffer.from('a');
    expect(asOneCommand([[null], [bytes]])).toBeUndefined();
    expect(asOneCommand([[bytes], ['a']])).toBeUndefined();
    expect(asOneCommand(Array.from({ length: 5 }, () => ['x'.repeat(1 << 18)]))).toBeUndefined();
    expect(asOneCommand([[1], [null], [5n], [true]])).toEqual([['1'], [null], ['5'], ['1']]);
    expect(asOneCommand([[bytes], [null], [bytes]])).toEqual([[bytes], [null], [bytes]]);
  });
});
