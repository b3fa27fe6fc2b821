import type { Names, Rule, Rulebook } from './form.js';

/** The names that a rulebook uses, each once, as they are written in it. */
export interface UsedNames {
  readonly groups: readonly string[];
  readonly people: readonly string[];
  readonly applications: readonly string[];
  readonly networks: readonly string[];
}

/** What each name means: an id, so that a thing that is renamed stays what a rule means. Keys in lower case. */
export type Binding = { readonly [K in keyof UsedNames]: Readonly<Record<string, string>> };

export function namesUsed({ rules }: Rulebook): UsedNames {
  const used = (of: (rule: Rule) => readonly (string | undefined)[]) => [
    ...new Set(rules.flatMap((rule) => of(rule).filter((name) => name !== undefined))),
  ];
  return {
    groups: used(({ conditions, except }) => [...(conditions.groups?.names ?? []), ...except.map((one) => one.group)]),
    people: used(({ conditions, except }) => [...(conditions.people?.names ?? []), ...except.map((one) => one.person)]),
    applications: used(({ conditions }) => conditions.applications?.names ?? []),
    networks: used(({ conditions }) => conditions.networks?.names ?? []),
  };
}

/** The rulebook with ids for names. What a name of nothing stands for is nobody and nowhere. */
export function bindNames(rulebook: Rulebook, binding: Binding): Rulebook {
  const idOf = (kind: keyof Binding, name: string) => {
    const ids = binding[kind];
    const folded = name.toLowerCase();
    return Object.hasOwn(ids, folded) ? ids[folded]! : `unknown ${name}`;
  };
  const bound = (kind: keyof Binding, names: Names) => ({ ...names, names: names.names.map((one) => idOf(kind, one)) });
  return {
    ...rulebook,
    rules: rulebook.rules.map((rule): Rule => {
      const { groups, people, applications, networks } = rule.conditions;
      return {
        ...rule,
        conditions: {
          ...rule.conditions,
          ...(groups ? { groups: bound('groups', groups) } : {}),
          ...(people ? { people: bound('people', people) } : {}),
          ...(applications ? { applications: bound('applications', applications) } : {}),
          ...(networks ? { networks: bound('networks', networks) } : {}),
        },
        except: rule.except.map(({ person, group, ...rest }) => ({
          ...rest,
          ...(person === undefined ? {} : { person: idOf('people', person) }),
          ...(group === undefined ? {} : { group: idOf('groups', group) }),
        })),
      };
    }),
  };
}

/** What deciding by a rulebook takes beside the application and the time; whatever no rule asks for need not be read. */
export interface Needs {
  /** Groups, roles, login names, zone or last proof of the person. */
  readonly person: boolean;
  readonly networks: boolean;
  /** What is noticed about a sign-in beside what an application says. */
  readonly risk: boolean;
}

export function needsOf({ rules }: Rulebook): Needs {
  const some = (test: (rule: Rule) => unknown) =>
    rules.some((rule) => rule.state.kind !== 'resting' && Boolean(test(rule)));
  return {
    person: some(
      ({ conditions: { groups, roles, people, times, lastProofOlderThan, riskAtLeast }, except }) =>
        groups ??
        roles ??
        people ??
        (times?.zone === 'person' ||
          lastProofOlderThan !== undefined ||
          riskAtLeast !== undefined ||
          except.length > 0),
    ),
    risk: some(({ conditions: { riskAtLeast } }) => riskAtLeast !== undefined),
    networks: some(({ conditions: { networks, countries, cities } }) => networks ?? countries ?? cities),
  };
}
