import { hostOf, isWithin, reachProblem } from '@nimble-latch/core/relying-party';
import type { PartyProblem } from '@nimble-latch/core/vocabulary';
import type { LOCK, Sequelize } from 'sequelize';
import { applicationOrigins } from '../applications/application-origin.model.js';
import { within } from '../../platform/db/models.js';
import { TtlCache } from '../../platform/db/ttl-cache.js';
import type { Db } from '../../platform/db/sql.js';
import { relyingParties } from './relying-party.model.js';

/** What keys are made for, and from where they may answer. */
export interface Party {
  /** The relying party id. */
  readonly id: string;
  /** Somebody chose it, or a key was made for it; otherwise it follows the service's address. */
  readonly chosen: boolean;
  /** Why no key can answer at our own pages. */
  readonly problem: PartyProblem | undefined;
  /** The application id of FIDO U2F under which older credentials answer. */
  readonly appId: string | null;
  readonly version: number;
  /** The origin of our own pages; no application has it. */
  readonly ownOrigin: string;
  /** Origins of applications, by id. */
  readonly origins: ReadonlyMap<string, readonly string[]>;
}

/** Origins that browsers let answer only by the related origins document. */
export const relatedOf = ({ id, origins }: Party): readonly string[] =>
  [...origins.values()].flat().filter((origin) => !isWithin(hostOf(origin), id));

export async function readParty(db: Db, publicUrl: URL, lock?: LOCK): Promise<Party> {
  const { hostname, origin } = publicUrl;
  const row = await relyingParties(db).findByPk(1, { ...(lock ? { lock } : {}), ...within(db) });
  const origins = new Map<string, string[]>();
  for (const one of await applicationOrigins(db).findAll({ order: ['origin'], ...within(db) }))
    origins.set(one.applicationId, [...(origins.get(one.applicationId) ?? []), one.origin]);
  const id = row?.rpId ?? hostname;
  return {
    id,
    chosen: row !== null,
    problem: reachProblem(id, hostname),
    appId: row?.appId ?? null,
    version: row?.version ?? 1,
    ownOrigin: origin,
    origins,
  };
}

/** The relying party as this process last read it, at most a few seconds ago. */
export class PartyCache extends TtlCache<Party> {
  /** @param settingsPool a pool that no transaction holds connections of */
  constructor(settingsPool: Sequelize, publicUrl: URL) {
    super(async () => await readParty({ sequelize: settingsPool }, publicUrl));
  }
}

declare module '../../platform/deps.js' {
  interface Deps {
    readonly party: PartyCache;
  }
}
