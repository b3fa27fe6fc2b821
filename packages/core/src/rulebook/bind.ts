import { CONDITIONS } from './conditions/index.js';
import type { Needs, UsedNames } from './facts.js';
import type { Names, Rule, Rulebook } from './form.js';

/** What each name means: an id, so that a thing that is renamed stays what a rule means. Keys in lower case. */
export type Binding = { readonly [K in keyof UsedNames]: Readonly<Record<string, string>> };

/** Lists of conditions whose names are kept as ids. */
const BOUND = CONDITIONS.flatMap(({ names }) =>
  names.flatMap(({ member, bound }) => (bound ? [{ member, bound }] : [])),
);

export function namesUsed({ rules }: Rulebook): UsedNames {
  const used = (kind: keyof UsedNames, excepted: (rule: Rule) => readonly (string | undefined)[] = () => []) => [
    ...new Set(
      rules.flatMap((rule) =>
        [
          ...BOUND.filter(({ bound }) => bound === kind).flatMap(({ member }) => rule.conditions[member]?.names ?? []),
          ...excepted(rule),
        ].filter((name) => name !== undefined),
      ),
    ),
  ];
  return {
    groups: used('groups', ({ except }) => except.map((one) => one.group)),
    people: used('people', ({ except }) => except.map((one) => one.person)),
    applications: used('applications'),
    networks: used('networks'),
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
      const conditions = Object.fromEntries(
        BOUND.flatMap(({ member, bound: kind }) => {
          const names = rule.conditions[member];
          return names ? [[member, bound(kind, names)]] : [];
        }),
      );
      return {
        ...rule,
        conditions: { ...rule.conditions, ...conditions },
        except: rule.except.map(({ person, group, ...rest }) => ({
          ...rest,
          ...(person === undefined ? {} : { person: idOf('people', person) }),
          ...(group === undefined ? {} : { group: idOf('groups', group) }),
        })),
      };
    }),
  };
}

/** What deciding takes; rules at rest ask for nothing. */
export function needsOf({ rules }: Rulebook): Needs {
  const needed = new Set(
    rules
      .filter(({ state }) => state.kind !== 'resting')
      .flatMap(({ conditions, except }) => [
        ...CONDITIONS.flatMap(({ needs }) => needs(conditions)),
        // Whoever is left out has to be known.
        ...(except.length > 0 ? (['person'] as const) : []),
      ]),
  );
  return { person: needed.has('person'), risk: needed.has('risk'), networks: needed.has('networks') };
}
