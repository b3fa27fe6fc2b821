import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { newId } from '../ids.js';
import { persons } from '../../areas/people/person.model.js';
import { outcomes } from '../http/outcome.model.js';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { claimWhatIsLocked, selectOneToHold } from './claims.js';
import { select, selectOne, selectToWrite, write, type Db } from './sql.js';
import { inTransaction } from './unit-of-work.js';
import { idBytes } from '../ids.js';

let inside: Inside;
let db: Db;
let clustered = false;
beforeAll(async () => {
  inside = await openInside();
  db = { sequelize: inside.deps.sequelize };
  // As if this server were a member of a cluster, whenever a test says so.
  claimWhatIsLocked(inside.deps.sequelize, () => clustered);
});
afterAll(async () => await inside.close());

async function somebody(): Promise<ReturnType<typeof newId>> {
  const id = newId(inside.deps);
  const now = new Date();
  await persons(db).create(
    {
      ...{ id, displayName: 'Ada Quay', state: 'active', source: 'hand', language: 'en', timeZone: 'Europe/London' },
      ...{ mailSealed: null, mailIndex: null, phoneSealed: null, phoneIndex: null, lastSeenAt: null, userHandle: null },
      ...{ createdAt: now, updatedAt: now },
    } as never,
    { transaction: null },
  );
  return id;
}

const claimOf = async (id: Buffer) =>
  Number((await selectOne<{ claim: number }>(db, 'SELECT claim FROM persons WHERE id = :id', { id }))!.claim);

describe('a row that is held', () => {
  // With aborts, the one server is a cluster.
  it.skipIf(process.env['NLATCH_TEST_FAULTS']?.includes('aborts')).each([
    ['on a cluster its claim goes on, by model and by statement', true, 2],
    ['one server is spared that', false, 0],
  ])('%s', async (_, cluster, counted) => {
    const id = await somebody();
    clustered = cluster;
    await inTransaction(inside.deps, async (work) => {
      const { transaction } = work;
      await persons(work).findByPk(id, { lock: transaction.LOCK.UPDATE, transaction });
      const held = await selectOneToHold<{ state: string }>(
        work,
        'persons WHERE id = :id',
        'SELECT state FROM persons WHERE id = :id',
        { id: idBytes(id) },
      );
      expect(held).toEqual({ state: 'active' });
      // Without a lock nothing is held.
      await persons(work).findByPk(id, { transaction });
    });
    clustered = false;
    expect(await claimOf(idBytes(id))).toBe(counted);
  });

  it('by statement makes another transaction wait, and then see what the first one left', async () => {
    const id = idBytes(await somebody());
    const order: string[] = [];
    const hold = async (name: string, rest: () => Promise<void>) =>
      await inTransaction(inside.deps, async (work) => {
        await selectOneToHold(work, 'persons WHERE id = :id', 'SELECT id FROM persons WHERE id = :id', { id });
        order.push(`${name} holds`);
        await rest();
        await write(work, 'UPDATE persons SET version = version + 1 WHERE id = :id', { id });
        order.push(`${name} ends`);
      });
    let second: Promise<void> | undefined;
    await hold('first', async () => {
      second = hold('second', async () => await Promise.resolve());
      await select(db, 'SELECT SLEEP(0.2)');
    });
    await second;
    expect(order).toEqual(['first holds', 'first ends', 'second holds', 'second ends']);
  });

  it('has to be said: a read that locks and does not say what for is refused, and so is a model that has no claim', async () => {
    await inTransaction(inside.deps, async (work) => {
      const { transaction } = work;
      for (const lock of ['FOR UPDATE', 'LOCK IN SHARE MODE'])
        await expect(select(work, `SELECT id FROM persons LIMIT 1 ${lock}`)).rejects.toThrow(/without saying what for/);
      await expect(outcomes(work).findOne({ where: {}, lock: transaction.LOCK.UPDATE, transaction })).rejects.toThrow(
        /has no claim/,
      );
      // A word inside of a value is no lock.
      expect(await select(work, "SELECT 'FOR UPDATE' AS said")).toHaveLength(1);
      expect(await selectToWrite(work, 'SELECT id FROM persons LIMIT 1')).toHaveLength(1);
    });
  });
});
