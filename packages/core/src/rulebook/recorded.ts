import { CONDITIONS } from './conditions/index.js';
import type { Facts, RecordedFacts } from './facts.js';

/**
 * What is kept of the facts of a decision.
 *
 * @param ruled the groups that rules name, in the order of their version; on others nothing can depend
 */
export function recordFacts(facts: Facts, ruled: readonly string[]): RecordedFacts {
  const recorded = {};
  for (const { record } of CONDITIONS) Object.assign(recorded, record(facts, ruled));
  return recorded;
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
