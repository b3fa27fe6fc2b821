import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { verify } from '../../host/chores/trail.js';
import { beat } from '../jobs/node-heartbeat.js';
import { carryOut, insertion, write, type Db } from '../db/sql.js';
import { inTransaction, type Work } from '../db/unit-of-work.js';
import { closeRuntime, openRuntime } from '../../host/runtime.js';
import { abandonedWriters, sealUpTo } from './sealer.js';
import { trailColumns, type NewEntry } from './writer.js';

let inside: Inside;
let db: Db;
beforeAll(async () => {
  inside = await openInside();
  db = { sequelize: inside.deps.sequelize };
});
afterAll(async () => await inside.close());

const rotated = (details: NewEntry['details']): NewEntry => ({
  actor: { kind: 'host', id: null },
  action: 'key.rotated',
  target: { kind: 'key', id: null },
  person: null,
  origin: null,
  reason: null,
  details,
});
const told = async (details: Record<string, string>, work: Work) => await work.trail(rotated(details));
const tell = async (details: Record<string, string>, fails = false) =>
  await inTransaction(inside.deps, async (work) => {
    await told(details, work);
    if (fails) throw new Error('changed its mind');
  }).catch(() => undefined);
const seal = async () => await sealUpTo(inside.deps, inside.deps.trail.id, inside.deps.trail.settledUpTo());
const found = async () => (await verify(inside.deps, {})).findings.map(({ what, detail }) => `${what}: ${detail}`);

describe('a seal', () => {
  it('is made of what was written, not of what the table says by then, and leaves out what was rolled back', async () => {
    await tell({ crane: 'Ä\u0000"1', berth: '4' });
    await tell({ crane: '2' }, true);
    await tell({ crane: '3' });
    expect(await seal()).toBe(2);
    expect(await found()).toEqual([]);
    await tell({ crane: '4' });
    const tamper = "UPDATE trail_entries SET details = REPLACE(details, '4', '5') WHERE number = 4";
    expect(await write(db, tamper)).toBe(1);
    expect(await seal()).toBe(1);
    expect(await found()).toEqual([expect.stringMatching(/^entries-differ: an entry between 4 and 4 was altered/)]);
    await write(db, "UPDATE trail_entries SET details = REPLACE(details, '5', '4') WHERE number = 4");
    expect(await found()).toEqual([]);
  });

  it('is made of what the table says where it was left in doubt whether it was committed', async () => {
    const { trail } = inside.deps;
    await tell({ crane: '5' });
    // As after a lost connection: one that was kept in truth, one that was not.
    for (const kept of [true, false]) {
      const number = trail.reserve();
      const entry = trail.entry(number, new Date(), rotated({ kept }));
      if (kept) await carryOut(db, insertion('trail_entries', trailColumns(entry)));
      trail.settle([number], 'unknown');
    }
    await tell({ crane: '6' });
    expect(await seal()).toBe(3);
    expect(await found()).toEqual([]);
  });

  it('is left to another node where the writer stopped before anybody knew what became of its last entry', async () => {
    const writer = await openRuntime(inside.deps.config);
    await beat(writer, new Date());
    const { id } = writer.trail;
    const entry = writer.trail.entry(writer.trail.reserve(), new Date(), rotated({ crane: '7' }));
    writer.trail.settleInDoubt([entry.number]);
    await closeRuntime(writer);
    // The server comes to the COMMIT only now.
    await carryOut(db, insertion('trail_entries', trailColumns(entry)));
    expect(await abandonedWriters(inside.deps)).toEqual([]);
    await write(db, 'UPDATE nodes SET seen_at = seen_at - INTERVAL 2 MINUTE');
    expect(await abandonedWriters(inside.deps)).toEqual([{ writer: id, to: entry.number }]);
    expect(await sealUpTo(inside.deps, id, entry.number)).toBe(1);
    expect(await found()).toEqual([]);
    expect(await abandonedWriters(inside.deps)).toEqual([]);
  });
});
