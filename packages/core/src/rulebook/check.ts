import { assuranceOf } from '../assurance/index.js';
import type { NameKind } from '../vocabulary.js';
import type { Conditions, Names, Rule, Rulebook } from './form.js';

/** What a rulebook says that probably was not meant; each names the rules by their places, from 0. */
export type Finding =
  /** An earlier rule in force applies wherever this one would. */
  | { readonly what: 'never-reached'; readonly rule: number; readonly because: number }
  | { readonly what: 'exception-ended'; readonly rule: number; readonly exception: number }
  | { readonly what: 'trial-over'; readonly rule: number }
  | { readonly what: 'grace-over'; readonly rule: number }
  | { readonly what: 'name-unknown'; readonly rule: number; readonly kind: NameKind; readonly name: string }
  | { readonly what: 'group-empty'; readonly rule: number; readonly name: string }
  /** From anywhere one proof is enough to come to a new authenticator, or a new password. */
  | { readonly what: 'enrols-by-one-proof'; readonly rule: number; readonly name: string };

/** What there is to name, in the spelling of the rulebook. */
export interface Known {
  readonly groups: ReadonlyMap<string, number>;
  readonly people: ReadonlySet<string>;
  readonly applications: ReadonlySet<string>;
  readonly networks: ReadonlySet<string>;
  readonly countries: ReadonlySet<string>;
  readonly cities: ReadonlySet<string>;
  /** Of the applications: where people enrol something, or reset a password, by themselves. */
  readonly ownPlaces: ReadonlySet<string>;
}

/**
 * Checks of the rulebook's own words, before it is published.
 *
 * @param known the names that exist, groups with how many people they hold
 */
export function checkRulebook({ rules }: Rulebook, known: Known, nowMs: number): Finding[] {
  const today = new Date(nowMs).toISOString().slice(0, 10);
  const earlier = new Earlier();
  return rules.flatMap((rule, i) => {
    const found: Finding[] = [];
    if (rule.state.kind === 'on-trial' && rule.state.until < today) found.push({ what: 'trial-over', rule: i });
    if (rule.grace && rule.grace.lastDay < today) found.push({ what: 'grace-over', rule: i });
    rule.except.forEach(({ until }, exception) => {
      if (until < today) found.push({ what: 'exception-ended', rule: i, exception });
    });
    found.push(...namesOf(rule, known).map((finding) => ({ ...finding, rule: i })));
    const place = rule.state.kind === 'resting' ? undefined : opensPlace(rule, known);
    if (place !== undefined) found.push({ what: 'enrols-by-one-proof', rule: i, name: place });
    const scope = scopeOf(rule.conditions);
    if (rule.state.kind !== 'resting') {
      const because = earlier.covering(scope);
      if (because !== undefined) found.push({ what: 'never-reached', rule: i, because });
    }
    // A rule with exceptions does not apply to everybody in its scope.
    if (rule.state.kind === 'in-force' && rule.except.length === 0) earlier.add(scope, i);
    return found;
  });
}

/** The place of our own that a rule opens to one proof from anywhere; undefined where it opens none. */
function opensPlace({ conditions, then, grace }: Rule, known: Known): string | undefined {
  const { applications, networks, countries, cities } = conditions;
  const place = applications?.not ? undefined : applications?.names.find((name) => known.ownPlaces.has(name));
  const somewhere = [networks, countries, cities].some((names) => names && !names.not);
  const lax =
    grace !== undefined ||
    then.kind === 'let-in' ||
    then.kind === 'whoever-has-one' ||
    (then.kind === 'level' && then.level < 2) ||
    (then.kind === 'ways' && then.ways.some((way) => assuranceOf(way).level < 2));
  return lax && !somewhere ? place : undefined;
}

type NameFinding =
  | { readonly what: 'name-unknown'; readonly kind: NameKind; readonly name: string }
  | { readonly what: 'group-empty'; readonly name: string };

function namesOf({ conditions, except }: Rule, known: Known): NameFinding[] {
  const unknown = (kind: NameKind, names: readonly (string | undefined)[], there: { has(name: string): boolean }) =>
    names.flatMap((name) =>
      name === undefined || there.has(name) ? [] : { what: 'name-unknown' as const, kind, name },
    );
  const { groups, people, applications, networks, countries, cities } = conditions;
  return [
    ...unknown('group', [...(groups?.names ?? []), ...except.map((one) => one.group)], known.groups),
    ...unknown('person', [...(people?.names ?? []), ...except.map((one) => one.person)], known.people),
    ...unknown('application', applications?.names ?? [], known.applications),
    ...unknown('network', networks?.names ?? [], known.networks),
    ...unknown('country', countries?.names ?? [], known.countries),
    ...unknown('city', cities?.names ?? [], known.cities),
    ...(groups?.names ?? [])
      .filter((name) => known.groups.get(name) === 0)
      .map((name) => ({ what: 'group-empty' as const, name })),
  ];
}

/** To whom and where a rule applies, in a shape that is quick to compare. */
interface Scope {
  readonly conditions: Conditions;
  /** Groups, roles and people that it names, and those that it bars. */
  readonly named: ReadonlySet<string>;
  readonly barred: ReadonlySet<string>;
  readonly times: string | undefined;
}

function scopeOf(conditions: Conditions): Scope {
  const parts = (['groups', 'roles', 'people'] as const).flatMap((kind) => {
    const names = conditions[kind];
    return names ? names.names.map((name) => ({ at: `${kind} ${name}`, not: names.not })) : [];
  });
  return {
    conditions,
    named: new Set(parts.filter((part) => !part.not).map((part) => part.at)),
    barred: new Set(parts.filter((part) => part.not).map((part) => part.at)),
    times: conditions.times && JSON.stringify(conditions.times),
  };
}

/**
 * The rules before one, so that those which could cover it are found without comparing it with all of them: each is filed
 * under something that a rule which it covers must name too.
 */
class Earlier {
  readonly #filed = new Map<string, { readonly scope: Scope; readonly at: number }[]>();

  add(scope: Scope, at: number): void {
    for (const key of Earlier.#keys(scope)) {
      const list = this.#filed.get(key);
      if (list) list.push({ scope, at });
      else this.#filed.set(key, [{ scope, at }]);
    }
  }

  /** The first rule that applies wherever this one would. */
  covering(scope: Scope): number | undefined {
    let first: number | undefined;
    const { applications, networks } = scope.conditions;
    const [named] = scope.named;
    const keys = [
      'anything',
      ...(named === undefined ? [] : [`who ${named}`]),
      ...(applications && !applications.not ? [`at ${applications.names[0]}`] : []),
      ...(networks && !networks.not ? [`from ${networks.names[0]}`] : []),
    ];
    for (const key of keys)
      for (const { scope: other, at } of this.#filed.get(key) ?? []) {
        if (first !== undefined && at >= first) break;
        if (covers(other, scope)) first = at;
      }
    return first;
  }

  static #keys({ named, conditions: { applications, networks } }: Scope): string[] {
    if (named.size > 0) return [...named].map((name) => `who ${name}`);
    if (applications && !applications.not) return applications.names.map((name) => `at ${name}`);
    if (networks && !networks.not) return networks.names.map((name) => `from ${name}`);
    return ['anything'];
  }
}

/**
 * Whether an earlier rule applies wherever a later one does. Sure where it says yes; there are rules that are never reached
 * for reasons that only several earlier ones together give, and those are not found.
 */
function covers(earlier: Scope, later: Scope): boolean {
  const [a, b] = [earlier.conditions, later.conditions];
  return (
    (earlier.times === undefined || earlier.times === later.times) &&
    (a.riskAtLeast === undefined || (b.riskAtLeast !== undefined && b.riskAtLeast >= a.riskAtLeast)) &&
    (a.browser === undefined || a.browser === b.browser) &&
    (a.lastProofOlderThan === undefined ||
      (b.lastProofOlderThan !== undefined && b.lastProofOlderThan >= a.lastProofOlderThan)) &&
    coversWho(earlier, later) &&
    coversNames(a.applications, b.applications, true) &&
    coversNames(a.networks, b.networks, false) &&
    coversNames(a.countries, b.countries, false) &&
    coversNames(a.cities, b.cities, false) &&
    coversNames(a.systems, b.systems, true)
  );
}

/** @param one whether a sign-in has exactly one of these, as it has one application but may lie in several networks */
function coversNames(a: Names | undefined, b: Names | undefined, one: boolean): boolean {
  if (a === undefined) return true;
  if (b === undefined) return false;
  if (!a.not && !b.not) return b.names.every((name) => a.names.includes(name));
  if (a.not && b.not) return a.names.every((name) => b.names.includes(name));
  return one && a.not && !b.not && !b.names.some((name) => a.names.includes(name));
}

/** Anybody whom the later rule means is meant by the earlier one. */
function coversWho(a: Scope, b: Scope): boolean {
  // Whom the earlier rule bars, the later one must bar too.
  for (const part of a.barred) if (!b.barred.has(part)) return false;
  if (a.named.size === 0) return true;
  if (b.named.size === 0) return false;
  for (const part of b.named) if (!a.named.has(part)) return false;
  return true;
}
