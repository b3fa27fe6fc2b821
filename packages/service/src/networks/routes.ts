import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS } from '@nimble-latch/api';
import { readRange } from '@nimble-latch/core/networks';
import { insert, selectOne, updateById, write, type Db, type SqlValues } from '../db/sql.js';
import { keepingNamesApart } from '../db/unique-name.js';
import { badField, notFound, Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { AreaHandlers, Handler } from '../http/call.js';
import { key, newId } from '../ids.js';
import { assertUnruled } from '../rulebook/named.js';
import { forgetNetworks, locate, networkOf, readNetworks, type KnownNetwork, type NetworkRow } from './table.js';

/** Ranges in their one spelling, each once; a wrong one is named with its place and what was probably meant. */
function rangesOf(typed: readonly string[]): string {
  const ranges = typed.map((text, i) => {
    const read = readRange(text);
    if ('problem' in read) throw badField(`body.ranges[${i}]`, read.problem, { meant: read.meant });
    return read.range;
  });
  return JSON.stringify([...new Set(ranges)]);
}

/** One network, as its answers have it. Throws not-found. */
async function readNetwork(db: Db, id: Id): Promise<KnownNetwork> {
  const row = await selectOne<NetworkRow>(db, 'SELECT * FROM networks WHERE id = :id', { id: key(id) });
  if (!row) throw notFound();
  return networkOf(row);
}

const addNetwork: Handler<'networks.add'> = async (deps, call) => {
  const { ranges, ...plain } = call.body;
  const reply = await call.run(async (work) => {
    const count = await selectOne<{ n: number }>(work, 'SELECT COUNT(*) AS n FROM networks');
    if (Number(count?.n) >= LIMITS.networks) throw new Refusal('limit-reached', { limit: LIMITS.networks });
    const id = newId(deps);
    await keepingNamesApart(
      'networks_name',
      plain.name,
      insert(work, 'networks', { id: key(id), ...plain, ranges: rangesOf(ranges) }),
    );
    const network = await readNetwork(work, id);
    await work.trail(
      entryOf(
        call,
        'network.added',
        { kind: 'network', id },
        { details: { name: plain.name, ranges: [...network.ranges] } },
      ),
    );
    return { answer: { ...network, ranges: [...network.ranges] }, version: network.version };
  });
  forgetNetworks(deps);
  return reply;
};

const editNetwork: Handler<'networks.edit'> = async (deps, call) => {
  const { id } = call.params;
  const { ranges, ...plain } = call.body;
  const reply = await call.run(async (work) => {
    await readNetwork(work, id);
    const columns = Object.fromEntries(
      Object.entries({ ...plain, ...(ranges ? { ranges: rangesOf(ranges) } : {}) }).filter(
        ([, value]) => value !== undefined,
      ),
    ) as SqlValues;
    const done = await keepingNamesApart(
      'networks_name',
      plain.name,
      updateById(work, 'networks', key(id), columns, call.ifMatch!),
    );
    if (!done) throw new Refusal('changed-meanwhile');
    const network = await readNetwork(work, id);
    await work.trail(
      entryOf(
        call,
        'network.changed',
        { kind: 'network', id },
        { details: { fields: Object.keys(call.body), ...(ranges ? { ranges: [...network.ranges] } : {}) } },
      ),
    );
    return { answer: { ...network, ranges: [...network.ranges] }, version: network.version };
  });
  forgetNetworks(deps);
  return reply;
};

const deleteNetwork: Handler<'networks.delete'> = async (deps, call) => {
  const { id } = call.params;
  const reply = await call.run(async (work) => {
    const network = await readNetwork(work, id);
    await assertUnruled(work, 'networks', id);
    await write(work, 'DELETE FROM networks WHERE id = :id', { id: key(id) });
    await work.trail(
      entryOf(
        call,
        'network.deleted',
        { kind: 'network', id },
        { details: { name: network.name, ranges: [...network.ranges] } },
      ),
    );
    return { answer: null };
  });
  forgetNetworks(deps);
  return reply;
};

const answered = (networks: readonly KnownNetwork[]) => ({
  answer: { rows: networks.map((network) => ({ ...network, ranges: [...network.ranges] })) },
});

export const networkHandlers: AreaHandlers<
  'networks.list' | 'networks.locate' | 'networks.add' | 'networks.edit' | 'networks.delete'
> = {
  'networks.list': async (deps) => answered(await readNetworks(deps)),
  'networks.locate': async (deps, { query }) => answered(await locate(deps, query.address)),
  'networks.add': addNetwork,
  'networks.edit': editNetwork,
  'networks.delete': deleteNetwork,
};
