import type { Facts } from '@nimble-latch/core/rulebook';
import type { Db } from '../../platform/db/sql.js';
import { readNetworks } from '../networks/table.js';
import type { PersonFacts } from './facts.js';
import type { RunningRulebook } from './running.js';

/** Where a sign-in could come from. */
export interface Place extends Pick<Facts, 'networks' | 'countries' | 'cities'> {
  /** Of the network; null for from nowhere known. */
  readonly name: string | null;
}

/** As far as either rulebook tells places apart: from nowhere known, and each network. */
export async function placesFor(db: Db, rulebooks: readonly RunningRulebook[]): Promise<Place[]> {
  const nowhere = { name: null, networks: new Set<string>(), countries: new Set<string>(), cities: new Set<string>() };
  if (!rulebooks.some(({ needs }) => needs.networks)) return [nowhere];
  const networks = await readNetworks(db);
  return [
    nowhere,
    ...networks.map(({ id, name, country, city }) => ({
      name,
      networks: new Set([id]),
      countries: new Set(country ? [country] : []),
      cities: new Set(city ? [city] : []),
    })),
  ];
}

/** A sign-in of which nothing but person, application and place is known. */
export function factsAt(person: PersonFacts, application: string, place: Place, at: number): Facts {
  const { networks, countries, cities } = place;
  const { lastProofAt } = person;
  const unknown = { risk: undefined, browser: undefined, system: undefined };
  return { person, application, networks, countries, cities, at, ...unknown, lastProofAt };
}
