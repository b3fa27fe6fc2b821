/**
 * What a statement costs through a model and through the adapter (db/sql.ts), in turns on one connection, as processor time of this
 * process and of the server: where the line between the two runs goes by this (docs/decisions/6-models-and-sql.md).
 */
import { readFileSync } from 'node:fs';
import { withInstallation } from './installation.mjs';
import { median } from './load.mjs';
import { connectDatabase } from '../packages/service/dist/platform/db/connect.js';
import { NEXT_VERSION } from '../packages/service/dist/platform/db/models.js';
import { insertAll } from '../packages/service/dist/platform/db/bulk-insert.js';
import { selectOne, write } from '../packages/service/dist/platform/db/sql.js';
import { idBytes, newId } from '../packages/service/dist/platform/ids.js';
import { networks } from '../packages/service/dist/areas/networks/network.model.js';

const ROUNDS = 5;
const EACH = Number(process.env.NLATCH_BENCH_STATEMENTS ?? 2_000);
const TICK_US = 10_000;

/** Processor time of another process so far, in microseconds; proc(5). */
function usedBy(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ');
  return (Number(fields[11]) + Number(fields[12])) * TICK_US;
}

await withInstallation({}, async ({ server, database }) => {
  const sequelize = connectDatabase({ ...database, connections: 1 });
  const db = { sequelize };
  const transaction = null;
  const sequence = {
    now: () => new Date(),
    random: (n) => Buffer.alloc(n, Math.random() * 255),
    sequence: { atMs: 0, count: 0 },
  };
  const id = newId(sequence);
  await networks(db).create(
    { id, name: 'bench', ranges: ['192.0.2.0/24'], country: null, city: null },
    { transaction },
  );
  const made = () => ({ id: newId(sequence), name: `net ${Math.random()}` });
  const works = {
    'find by key': {
      adapter: async () => await selectOne(db, 'SELECT * FROM networks WHERE id = :id', { id: idBytes(id) }),
      model: async () => await networks(db).findByPk(id, { transaction }),
    },
    'change with version': {
      adapter: async (n) =>
        await write(
          db,
          'UPDATE networks SET name = :name, version = version + 1 WHERE id = :id AND version = :version',
          {
            id: idBytes(id),
            name: `bench ${n}`,
            version: n,
          },
        ),
      model: async (n) =>
        await networks(db).update(
          { name: `bench ${n}`, version: NEXT_VERSION },
          { where: { id, version: n }, transaction },
        ),
    },
    create: {
      adapter: async () => {
        const { id: one, name } = made();
        await insertAll(db, 'networks', [
          { id: idBytes(one), name, ranges: '["192.0.2.0/24"]', country: null, city: null },
        ]);
      },
      model: async () =>
        await networks(db).create({ ...made(), ranges: ['192.0.2.0/24'], country: null, city: null }, { transaction }),
    },
  };
  for (const [what, ways] of Object.entries(works)) {
    const took = { adapter: [], model: [] };
    const served = { adapter: [], model: [] };
    for (let round = 0; round < ROUNDS; round++)
      for (const [way, one] of Object.entries(ways)) {
        for (let i = 0; i < 200; i++) await one(0);
        const [own, there] = [process.cpuUsage(), usedBy(server.pid)];
        for (let i = 0; i < EACH; i++) await one(i);
        const { user, system } = process.cpuUsage(own);
        took[way].push((user + system) / EACH);
        served[way].push((usedBy(server.pid) - there) / EACH);
      }
    const line = (all) => `${Math.round(median(all.adapter))} : ${Math.round(median(all.model))} µs`;
    process.stdout.write(`${what}: adapter and model here ${line(took)}, at the server ${line(served)}\n`);
  }
  await sequelize.close();
});
