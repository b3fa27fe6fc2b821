import type { Conditions, Names, Rule, Rulebook } from './form.js';

/** What a rulebook says that probably was not meant; each names the rules by their places, from 0. */
export type Finding =
  /** An earlier rule in force applies wherever this one would. */
  | { readonly what: 'never-reached'; readonly rule: number; readonly because: number }
  | { readonly what: 'exception-ended'; readonly rule: number; readonly exception: number }
  | { readonly what: 'trial-over'; readonly rule: number }
  | { readonly what: 'grace-over'; readonly rule: number }
  | { readonly what: 'name-unknown'; readonly rule: number; readonly kind: NameKind; readonly name: string }
  | { readonly what: 'group-empty'; readonly rule: number; readonly name: string };

export type NameKind = 'group' | 'person' | 'application' | 'network' | 'country' | 'city';

/** What there is to name, in the spelling of the rulebook. */
export interface Known {
  readonly groups: ReadonlyMap<string, number>;
  readonly people: ReadonlySet<string>;
  readonly applications: ReadonlySet<string>;
  readonly networks: ReadonlySet<string>;
  readonly countries: ReadonlySet<string>;
  readonly cities: ReadonlySet<string>;
}

/**
 * Checks of the rulebook's own words, before it is published.
 *
 * @param known the names that exist, groups with how many people they hold
 */
export function checkRulebook({ rules }: Rulebook, known: Known, nowMs: number): Finding[] {
  const today = new Date(nowMs).toISOString().slice(0, 10);
  return rules.flatMap((rule, i) => {
    const found: Finding[] = [];
    if (rule.state.kind === 'on-trial' && rule.state.until < today) found.push({ what: 'trial-over', rule: i });
    if (rule.grace && rule.grace.lastDay < today) found.push({ what: 'grace-over', rule: i });
    rule.except.forEach(({ until }, exception) => {
      if (until < today) found.push({ what: 'exception-ended', rule: i, exception });
    });
    found.push(...namesOf(rule, known).map((finding) => ({ ...finding, rule: i })));
    if (rule.state.kind !== 'resting') {
      const because = rules.slice(0, i).findIndex((earlier) => covers(earlier, rule));
      if (because >= 0) found.push({ what: 'never-reached', rule: i, because });
    }
    return found;
  });
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

/**
 * Whether an earlier rule applies wherever a later one does. Sure where it says yes; there are rules that are never reached
 * for reasons that only several earlier ones together give, and those are not found.
 */
function covers(earlier: Rule, later: Rule): boolean {
  if (earlier.state.kind !== 'in-force' || earlier.except.length > 0) return false;
  const [a, b] = [earlier.conditions, later.conditions];
  return (
    coversWho(a, b) &&
    coversNames(a.applications, b.applications, true) &&
    coversNames(a.networks, b.networks, false) &&
    coversNames(a.countries, b.countries, false) &&
    coversNames(a.cities, b.cities, false) &&
    coversNames(a.systems, b.systems, true) &&
    (a.times === undefined || JSON.stringify(a.times) === JSON.stringify(b.times)) &&
    (a.riskAtLeast === undefined || (b.riskAtLeast !== undefined && b.riskAtLeast >= a.riskAtLeast)) &&
    (a.browser === undefined || a.browser === b.browser) &&
    (a.lastProofOlderThan === undefined ||
      (b.lastProofOlderThan !== undefined && b.lastProofOlderThan >= a.lastProofOlderThan))
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
function coversWho(a: Conditions, b: Conditions): boolean {
  const parts = (conditions: Conditions) =>
    (['groups', 'roles', 'people'] as const).flatMap((kind) => {
      const names = conditions[kind];
      return names ? names.names.map((name) => ({ at: `${kind} ${name}`, not: names.not })) : [];
    });
  const [before, after] = [parts(a), parts(b)];
  const barred = before.filter((part) => part.not);
  // Whom the earlier rule bars, the later one must bar too.
  if (!barred.every((part) => after.some((other) => other.not && other.at === part.at))) return false;
  const named = before.filter((part) => !part.not);
  if (named.length === 0) return true;
  const meant = after.filter((part) => !part.not);
  return meant.length > 0 && meant.every((part) => named.some((other) => other.at === part.at));
}
