import { assuranceOf } from '../assurance/index.js';
import type { NameKind } from '../vocabulary.js';
import { CONDITIONS } from './conditions/index.js';
import type { Conditions, Outcome, Rule, Rulebook } from './form.js';

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
    // A rule that leaves somebody out does not apply to everybody in its scope.
    if (rule.state.kind === 'in-force' && rule.except.every(({ instead }) => instead)) earlier.add(scope, i);
    return found;
  });
}

/** The place of our own that a rule opens to one proof from anywhere; undefined where it opens none. */
function opensPlace({ conditions, then, grace, except }: Rule, known: Known): string | undefined {
  const { applications, networks, countries, cities } = conditions;
  const place = applications?.not ? undefined : applications?.names.find((name) => known.ownPlaces.has(name));
  const somewhere = [networks, countries, cities].some((names) => names && !names.not);
  const lax = grace !== undefined || [then, ...except.flatMap(({ instead }) => instead ?? [])].some(isLax);
  return lax && !somewhere ? place : undefined;
}

/** Whether one proof is enough for it. */
const isLax = (then: Outcome): boolean =>
  then.kind === 'let-in' ||
  then.kind === 'whoever-has-one' ||
  (then.kind === 'level' && then.level < 2) ||
  (then.kind === 'ways' && then.ways.some((way) => assuranceOf(way).level < 2));

type NameFinding =
  | { readonly what: 'name-unknown'; readonly kind: NameKind; readonly name: string }
  | { readonly what: 'group-empty'; readonly name: string };

function namesOf({ conditions, except }: Rule, known: Known): NameFinding[] {
  const unknown = (kind: NameKind, names: readonly (string | undefined)[], there: { has(name: string): boolean }) =>
    names.flatMap((name) =>
      name === undefined || there.has(name) ? [] : { what: 'name-unknown' as const, kind, name },
    );
  const excepted = { group: except.map((one) => one.group), person: except.map((one) => one.person) };
  return [
    ...CONDITIONS.flatMap(({ names }) => names).flatMap(({ member, kind }) =>
      unknown(
        kind,
        [...(conditions[member]?.names ?? []), ...(kind === 'group' || kind === 'person' ? excepted[kind] : [])],
        known[KNOWN[kind]],
      ),
    ),
    ...(conditions.groups?.names ?? [])
      .filter((name) => known.groups.get(name) === 0)
      .map((name) => ({ what: 'group-empty' as const, name })),
  ];
}

/** Where names of a kind are known. */
const KNOWN = {
  group: 'groups',
  person: 'people',
  application: 'applications',
  network: 'networks',
  country: 'countries',
  city: 'cities',
} as const satisfies Readonly<Record<NameKind, keyof Known>>;

/** To whom, where and when a rule applies, in a shape that is quick to compare. */
interface Scope {
  /** Of each condition, in the order of {@link CONDITIONS}. */
  readonly parts: readonly unknown[];
  /** Of each condition what a rule that this one covers must name too. */
  readonly handles: readonly (readonly string[])[];
}

const scopeOf = (conditions: Conditions): Scope => ({
  parts: CONDITIONS.map(({ scope }) => scope(conditions)),
  handles: CONDITIONS.map(({ handles }) => handles(conditions)),
});

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
    const keys = ['anything', ...scope.handles.flatMap(([one]) => (one === undefined ? [] : [one]))];
    for (const key of keys)
      for (const { scope: other, at } of this.#filed.get(key) ?? []) {
        if (first !== undefined && at >= first) break;
        if (covers(other, scope)) first = at;
      }
    return first;
  }

  /** Under the names of the first condition that has any. */
  static #keys({ handles }: Scope): readonly string[] {
    return handles.find((names) => names.length > 0) ?? ['anything'];
  }
}

/**
 * Whether an earlier rule applies wherever a later one does. Sure where it says yes; there are rules that are never reached
 * for reasons that only several earlier ones together give, and those are not found.
 */
const covers = (earlier: Scope, later: Scope): boolean =>
  CONDITIONS.every(({ subsumes }, i) => subsumes(earlier.parts[i], later.parts[i]));
