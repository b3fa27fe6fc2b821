import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS } from '@nimble-latch/api';
import { readRange } from '@nimble-latch/core/networks';
import { given, NEXT_VERSION, within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { keepingNamesApart } from '../../platform/db/unique-name.js';
import { badField, notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { assertUnruled } from '../rulebook/assert-unruled.js';
import { networks } from './network.model.js';
import { forgetNetworks, locate, networkOf, readNetworks, type KnownNetwork } from './table.js';

/** Ranges in their one spelling, each once; a wrong one is named with its place and what was probably meant. */
function rangesOf(typed: readonly string[]): string[] {
  const ranges = typed.map((text, i) => {
    const read = readRange(text);
    if ('problem' in read) throw badField(`body.ranges[${i}]`, read.problem, { meant: read.meant });
    return read.range;
  });
  return [...new Set(ranges)];
}

/** One network, as its answers have it. Throws not-found. */
const readNetwork = async (db: Db, id: Id): Promise<KnownNetwork> =>
  networkOf(await networks(db).findByPk(id, { ...within(db), rejectOnEmpty: notFound() }));

const addNetwork: Handler<'networks.add'> = async (deps, call) => {
  const { ranges, ...plain } = call.body;
  const reply = await call.run(async (work) => {
    const { transaction } = work;
    if ((await networks(work).count({ transaction })) >= LIMITS.networks)
      throw new Refusal('limit-reached', { limit: LIMITS.networks });
    const id = newId(deps);
    await keepingNamesApart(
      'networks_name',
      plain.name,
      networks(work).create({ id, ...plain, ranges: rangesOf(ranges) }, { transaction }),
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
    const [done] = await keepingNamesApart(
      'networks_name',
      plain.name,
      networks(work).update(
        { ...given({ ...plain, ranges: ranges && rangesOf(ranges) }), version: NEXT_VERSION },
        { where: { id, version: call.ifMatch! }, transaction: work.transaction },
      ),
    );
    if (done === 0) throw new Refusal('changed-meanwhile');
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
    await networks(work).destroy({ where: { id }, transaction: work.transaction });
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
