import type { Id } from '@nimble-latch/core/vocabulary';
import { NetworkTable, type Network } from '@nimble-latch/core/networks';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import type { PlatformDeps } from '../../platform/deps.js';
import { networks, type Network as NetworkRecord } from './network.model.js';

export interface KnownNetwork extends Network {
  /** Known to hide where people are. */
  readonly anonymising: boolean;
  readonly id: Id;
  readonly version: number;
}

export const networkOf = ({ id, name, ranges, country, city, anonymising, version }: NetworkRecord): KnownNetwork => ({
  id,
  name,
  ranges,
  country,
  city,
  anonymising,
  version,
});

/** Every network, by name: they are few beside everything else. */
export async function readNetworks(db: Db): Promise<KnownNetwork[]> {
  return (await networks(db).findAll({ order: ['name'], ...within(db) })).map(networkOf);
}

/** How old a node's networks may be: another node's change is followed within this time. */
const AGE_MS = 3_000;
const tables = new WeakMap<object, { readonly at: number; readonly table: Promise<NetworkTable> }>();

/**
 * The networks as this process last read them, at most a few seconds ago; over the pool that no transaction holds connections of, since
 * whoever holds one may wait for it.
 */
async function recentTable({ settingsPool }: Pick<PlatformDeps, 'settingsPool'>): Promise<NetworkTable> {
  const known = tables.get(settingsPool);
  if (known && performance.now() - known.at < AGE_MS) return await known.table;
  const table = readNetworks({ sequelize: settingsPool }).then((networks) => new NetworkTable(networks));
  tables.set(settingsPool, { at: performance.now(), table });
  table.catch(() => tables.delete(settingsPool));
  return await table;
}

/** After a change made here. */
export const forgetNetworks = ({ settingsPool }: Pick<PlatformDeps, 'settingsPool'>): void =>
  void tables.delete(settingsPool);

/** Every network that an address lies in, the narrowest range first; none where there is no address. */
export async function locate(
  deps: Pick<PlatformDeps, 'settingsPool'>,
  address: string | null,
): Promise<KnownNetwork[]> {
  if (address === null) return [];
  return (await recentTable(deps)).locate(address) as KnownNetwork[];
}
