import type { Role, System } from '../vocabulary.js';
import type { Facts } from './decide.js';

/** The facts of a decision as they are kept with a sign-in, so that it can be explained later by what was known then. */
export interface RecordedFacts {
  /** Places among the groups that the version names. */
  readonly groups?: readonly number[];
  readonly roles?: readonly Role[];
  readonly zone?: string;
  readonly networks?: readonly string[];
  readonly countries?: readonly string[];
  readonly cities?: readonly string[];
  readonly risk?: number;
  readonly system?: System;
  readonly browser?: 'new' | 'remembered';
  readonly lastProofAt?: number;
}

const listed = <T>(set: ReadonlySet<T>): readonly T[] | undefined => (set.size > 0 ? [...set] : undefined);

/** @param ruled the groups that rules name, in the order of their version; on others nothing can depend */
export function recordFacts(facts: Facts, ruled: readonly string[]): RecordedFacts {
  const { person, networks, countries, cities, risk, system, browser, lastProofAt } = facts;
  // At every sign-in, over every group that a rule names: a plain loop.
  const groups: number[] = [];
  for (let place = 0; place < ruled.length; place++) if (person.groups.has(ruled[place]!)) groups.push(place);
  const all = {
    groups: groups.length > 0 ? groups : undefined,
    roles: listed(person.roles),
    zone: person.zone === 'UTC' ? undefined : person.zone,
    networks: listed(networks),
    countries: listed(countries),
    cities: listed(cities),
    risk,
    system,
    browser,
    lastProofAt,
  };
  return Object.fromEntries(Object.entries(all).filter(([, value]) => value !== undefined));
}

/** The facts again, of a person at an application. */
export function recallFacts(
  recorded: RecordedFacts,
  ruled: readonly string[],
  person: string,
  application: string,
  at: number,
): Facts {
  return {
    person: {
      names: new Set([person]),
      groups: new Set(recorded.groups?.flatMap((place) => ruled[place] ?? [])),
      roles: new Set(recorded.roles),
      zone: recorded.zone ?? 'UTC',
    },
    application,
    networks: new Set(recorded.networks),
    countries: new Set(recorded.countries),
    cities: new Set(recorded.cities),
    at,
    risk: recorded.risk,
    browser: recorded.browser,
    system: recorded.system,
    lastProofAt: recorded.lastProofAt,
  };
}
