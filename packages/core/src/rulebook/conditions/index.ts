import type { RuleCondition } from '../../vocabulary.js';
import { applications } from './applications.js';
import { browser } from './browser.js';
import { lastProof } from './last-proof.js';
import { cities, countries, networks } from './places.js';
import { risk } from './risk.js';
import type { ConditionSpec } from './spec.js';
import { systems } from './systems.js';
import { times } from './times.js';
import { who } from './who.js';

export {
  LONGEST_NAME,
  MOST_NAMES,
  nameSchema,
  plainName,
  type ConditionSpec,
  type NamesText,
  type Test,
} from './spec.js';

const ALL: Readonly<Record<RuleCondition, ConditionSpec>> = {
  who,
  applications,
  networks,
  countries,
  cities,
  times,
  risk,
  browser,
  'last-proof': lastProof,
  systems,
};

/** Everything that a rule can ask of a sign-in, in the order in which it stands in a rule's text. */
export const CONDITIONS: readonly ConditionSpec[] = Object.values(ALL);

/** The same, the cheapest to decide first: the first that fails ends the matter. */
export const CONDITIONS_BY_COST: readonly ConditionSpec[] = (
  [
    'applications',
    'browser',
    'risk',
    'systems',
    'last-proof',
    'who',
    'networks',
    'countries',
    'cities',
    'times',
  ] as const
).map((kind) => ALL[kind]);

/** Keys of a rule's text under which conditions stand, each once. */
export const CONDITION_KEYS: readonly string[] = [...new Set(CONDITIONS.map(({ text }) => text.key))];
