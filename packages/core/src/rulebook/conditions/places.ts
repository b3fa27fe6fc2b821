import type { NameKind } from '../../vocabulary.js';
import { condition, kept, listed, listOf, overlap, subsumesNames, type ConditionSpec } from './spec.js';

/**
 * Where the address lies: in networks, and so in their countries and cities. It may lie in several.
 *
 * @param narrows whether a rule that names some can be found by those names
 */
const place = (kind: 'networks' | 'countries' | 'cities', name: NameKind, narrows: boolean): ConditionSpec =>
  condition({
    kind,
    text: { key: 'from', lists: [listOf(kind, kind)] },
    test: ({ [kind]: said }) => said && ((facts) => overlap(said.names, facts[kind]) !== said.not),
    scope: (conditions) => conditions[kind],
    subsumes: (earlier, later) => subsumesNames(earlier, later, false),
    handles: ({ [kind]: said }) => (narrows && said && !said.not ? said.names.map((one) => `from ${one}`) : []),
    names: [{ member: kind, kind: name, ...(kind === 'networks' ? { bound: kind } : {}) }],
    needs: ({ [kind]: said }) => (said ? ['networks'] : []),
    record: (facts) => kept(kind, listed(facts[kind])),
  });

export const networks = place('networks', 'network', true);
export const countries = place('countries', 'country', false);
export const cities = place('cities', 'city', false);
