import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { Id } from '@nimble-latch/core/vocabulary';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { idBytes, newId } from '../../platform/ids.js';
import { insertPerson } from '../people/add-person.js';
import { readLoginName } from '../people/login-names.js';
import { PhoneAnswers } from './answers.js';

let inside: Inside;
let person: Id;
let answers: PhoneAnswers;
beforeAll(async () => {
  inside = await openInside();
  person = await inTransaction(
    inside.deps,
    async (work) =>
      await insertPerson(inside.deps, work, {
        displayName: 'Tam Okoro',
        loginNames: [readLoginName('tam.okoro', 'name')],
        mail: null,
        phone: null,
        language: 'en',
        timeZone: 'UTC',
        source: 'hand',
      }),
  );
});
afterAll(async () => await inside.close());
beforeEach(() => (answers = new PhoneAnswers(inside.deps)));
afterEach(() => answers.end());

async function asked(signIn?: Id): Promise<Id> {
  const id = newId(inside.deps);
  await write(
    inside.deps,
    `INSERT INTO push_requests (id, person_id, sign_in_id, challenge, state, lane, created_at, valid_until)
     VALUES (:id, :person, :signIn, :challenge, 'waiting', 'familiar', UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL 90 SECOND)`,
    { id: idBytes(id), person: idBytes(person), signIn: signIn ? idBytes(signIn) : null, challenge: Buffer.alloc(32) },
  );
  return id;
}
/** As another node writes it. */
const become = async (id: Id, state: string, at: string | null = 'UTC_TIMESTAMP(3)'): Promise<void> =>
  void (await write(
    inside.deps,
    `UPDATE push_requests SET state = :state, answered_at = ${at ?? 'NULL'} WHERE id = :id`,
    {
      id: idBytes(id),
      state,
    },
  ));
/** How long one waits, in milliseconds. */
async function waited(id: Id, mostMs = 5_000): Promise<number> {
  const from = performance.now();
  await answers.until(id, mostMs);
  return performance.now() - from;
}

describe('whoever waits for a phone', () => {
  it.each([
    ['answered elsewhere', 'approved', 'UTC_TIMESTAMP(3)'],
    ['answered by a clock two hours ahead', 'approved', 'UTC_TIMESTAMP(3) + INTERVAL 2 HOUR'],
    ['answered by a clock two hours behind', 'denied', 'UTC_TIMESTAMP(3) - INTERVAL 2 HOUR'],
    ['taken back', 'withdrawn', null],
  ])('goes on soon after it was %s', async (_, state, at) => {
    const [one, other] = [await asked(), await asked()];
    const still = answers.until(other, 60_000).then(() => 'over');
    const waits = waited(one, 60_000);
    setTimeout(() => void become(one, state, at), 300);
    const took = await waits;
    expect(took).toBeGreaterThan(250);
    expect(took).toBeLessThan(30_000);
    expect(await Promise.race([still, new Promise((resolve) => setTimeout(() => resolve('waits'), 300))])).toBe(
      'waits',
    );
    expect(answers.size).toBe(1);
  });

  it('waits on where a later question took its place: there is nothing to go on by', async () => {
    const signIn = newId(inside.deps);
    const id = await asked(signIn);
    await write(
      inside.deps,
      `INSERT INTO sign_ins (id, application_id, person_id, state, data, claims, ignored_claims, version, begun_at)
       VALUES (:signIn, :signIn, :person, 'asking', '{}', '', '', 1, UTC_TIMESTAMP(3))`,
      { signIn: idBytes(signIn), person: idBytes(person) },
    );
    await become(id, 'withdrawn', null);
    expect(await waited(id, 1_000)).toBeGreaterThan(950);
    // And no more once that sign-in has ended.
    await write(inside.deps, "UPDATE sign_ins SET state = 'refused' WHERE id = :signIn", { signIn: idBytes(signIn) });
    expect(await waited(id, 30_000)).toBeLessThan(3_000);
  });

  it('goes on at once where it was answered before, however long ago', async () => {
    const id = await asked();
    await become(id, 'approved', 'UTC_TIMESTAMP(3) - INTERVAL 1 MINUTE');
    expect(await waited(id)).toBeLessThan(3_000);
  });

  it('is told at once what is answered at the same node, all who wait for it', async () => {
    const id = await asked();
    const all = Promise.all([waited(id), waited(id), waited(id)]);
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(answers.size).toBe(3);
    answers.came(id);
    for (const took of await all) expect(took).toBeLessThan(90);
    expect(answers.size).toBe(0);
  });

  it('waits as long as it said where nothing comes, also for what there is not', async () => {
    const [id, nothing] = [await asked(), newId(inside.deps)];
    for (const took of await Promise.all([waited(id, 400), waited(nothing, 400)])) {
      expect(took).toBeGreaterThan(390);
      expect(took).toBeLessThan(3_000);
    }
  });

  it('is let go when the node stops, and waits no more', async () => {
    const ids = await Promise.all([asked(), asked()]);
    const all = Promise.all(ids.map(async (id) => await waited(id, 60_000)));
    answers.end();
    await all;
    expect(await waited(ids[0], 60_000)).toBeLessThan(100);
  });

  it('is found among thousands, by any clock', async () => {
    const id = await asked();
    const crowd = Array.from({ length: 3_000 }, async () => await answers.until(newId(inside.deps), 60_000));
    const waits = waited(id, 30_000);
    setTimeout(() => void become(id, 'approved', 'UTC_TIMESTAMP(3) - INTERVAL 1 HOUR'), 1_500);
    expect(await waits).toBeLessThan(20_000);
    answers.end();
    await Promise.all(crowd);
  });
});
