import type { Id } from '@nimble-latch/core/vocabulary';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from './support/inside.js';
import { unwelcome } from '../packages/standins/src/push-service/message.js';
import { select, write } from '../packages/service/src/platform/db/sql.js';
import { inTransaction } from '../packages/service/src/platform/db/unit-of-work.js';
import type { Deps } from '../packages/service/src/platform/deps.js';
import { idBytes, idText, newId } from '../packages/service/src/platform/ids.js';
import { insertPerson } from '../packages/service/src/areas/people/add-person.js';
import { readLoginName } from '../packages/service/src/areas/people/login-names.js';
import { served } from '../packages/service/src/host/areas.js';
import { PhoneWaking, wakeTold } from '../packages/service/src/areas/push/wake.js';

let inside: Inside;
let person: Id;
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

/** A phone in this state that has said where it can be woken. */
async function phone(state: string): Promise<Id> {
  const id = newId(inside.deps);
  await write(
    inside.deps,
    `INSERT INTO authenticators (id, person_id, method, state, label, parameters, created_at)
     VALUES (:id, :person, 'push', :state, 'Phone', '{}', UTC_TIMESTAMP(3))`,
    { id: idBytes(id), person: idBytes(person), state },
  );
  await write(
    inside.deps,
    'INSERT INTO push_wakes (id, subscription_sealed, made_at) VALUES (:id, :sealed, UTC_TIMESTAMP(3))',
    { id: idBytes(id), sealed: Buffer.from('sealed') },
  );
  return id;
}
/** What every installation does every five minutes. */
const sweep = async () =>
  await (await served()).jobs['sweep']!.run(inside.deps, { payload: {}, progress: async () => undefined });
const kept = async () =>
  (
    await select<{ id: Buffer; gone: number }>(
      inside.deps,
      'SELECT id, gone_at IS NOT NULL AS gone FROM push_wakes ORDER BY id',
    )
  ).map(({ id, gone }) => `${idText(id)} ${gone === 1 ? 'gone' : 'ready'}`);

describe('where phones can be woken', () => {
  it('is kept as long as they may be asked, and is marked once their push service says that there is nothing', async () => {
    const [pending, active, suspended] = [await phone('pending'), await phone('active'), await phone('suspended')];
    for (const state of ['revoked', 'expired']) await phone(state);
    await sweep();
    expect(await kept()).toEqual([pending, active, suspended].map((id) => `${id} ready`));
    for (const delivery of ['sent', 'failed'] as const) await wakeTold(inside.deps, [active], delivery);
    expect(await kept()).toContain(`${active} ready`);
    await wakeTold(inside.deps, [active, newId(inside.deps)], 'gone');
    expect(await kept()).toEqual([`${pending} ready`, `${active} gone`, `${suspended} ready`]);
  });
});

describe('who wakes them', () => {
  const HOUR_MS = 3_600_000;
  const at = (ms: number): Deps => ({ ...inside.deps, now: () => new Date(ms) });

  it('is one for all nodes, whichever needs it first', async () => {
    const nodes = Array.from({ length: 8 }, () => new PhoneWaking());
    const senders = await Promise.all(nodes.map(async (node) => await node.sender(inside.deps)));
    expect(new Set(senders.map(({ publicKey }) => publicKey)).size).toBe(1);
    expect(new Set(senders.map(({ privateKey }) => privateKey)).size).toBe(1);
  });

  it('says so to each push service alone, for half a day', async () => {
    const node = new PhoneWaking();
    const { publicKey } = await node.sender(inside.deps);
    const now = Date.now();
    const said = await node.authorization(at(now), 'https://push.example/a/1');
    expect(await node.authorization(at(now), 'https://push.example/b/2')).toBe(said);
    const other = await node.authorization(at(now), 'https://push.example:8443/a/1');
    for (const hours of [0, 11]) {
      const seconds = Math.floor((now + hours * HOUR_MS) / 1_000);
      expect(unwelcome(said, publicKey, 'https://push.example', seconds)).toBeUndefined();
      expect(unwelcome(other, publicKey, 'https://push.example', seconds)).toBe('another-service');
      expect(unwelcome(other, publicKey, 'https://push.example:8443', seconds)).toBeUndefined();
    }
    expect(unwelcome(said, publicKey, 'https://push.example', (now + 13 * HOUR_MS) / 1_000)).toBe('time');
  });
});
