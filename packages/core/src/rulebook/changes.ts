import { canonicalJson, type Json } from '../crypto/index.js';
import type { Outcome, Rule, Rulebook } from './form.js';

/** One difference between two rulebooks, by what it means. Places count rules from 0. */
export type RuleChange =
  | { readonly what: 'added'; readonly after: Rule; readonly to: number }
  | { readonly what: 'removed'; readonly before: Rule; readonly from: number }
  | { readonly what: 'changed' | 'renamed'; readonly before: Rule; readonly after: Rule; readonly to: number }
  /** Decided earlier or later than before, in relation to the others. */
  | { readonly what: 'moved'; readonly after: Rule; readonly from: number; readonly to: number }
  | { readonly what: 'otherwise'; readonly before: Outcome; readonly after: Outcome };

const same = (a: Outcome, b: Outcome): boolean =>
  canonicalJson(a as unknown as Json) === canonicalJson(b as unknown as Json);
const called = (rule: Rule): string => rule.name.toLowerCase();
/** What a rule says, whatever it is called. */
const meaningOf = ({ name: _, ...rest }: Rule): string => canonicalJson(rest as unknown as Json);

/** The longest run of places that rises: what stays where it is while the fewest others move. */
function staying(places: readonly number[]): ReadonlySet<number> {
  const length = places.map(() => 1);
  const before = places.map(() => -1);
  for (let i = 0; i < places.length; i++)
    for (let j = 0; j < i; j++)
      if (places[j]! < places[i]! && length[j]! + 1 > length[i]!) [length[i], before[i]] = [length[j]! + 1, j];
  const stays = new Set<number>();
  for (let at = length.indexOf(Math.max(0, ...length)); at >= 0; at = before[at]!) stays.add(at);
  return stays;
}

/**
 * What of a rulebook means something else than before, rule by rule in the order of the new one; what is gone stands at the end.
 * Comments and spaces mean nothing.
 */
export function changesBetween(before: Rulebook, after: Rulebook): RuleChange[] {
  const was = new Map(before.rules.map((rule, at) => [called(rule), { rule, at }]));
  const kept = new Set(after.rules.map(called));
  const gone = before.rules
    .map((rule, at) => ({ rule, at, meaning: meaningOf(rule) }))
    .filter(({ rule }) => !kept.has(called(rule)));
  const pairs = after.rules.map((rule, to) => {
    const known = was.get(called(rule));
    if (known) return { rule, to, known };
    // The same rule by another name.
    const meaning = meaningOf(rule);
    const at = gone.findIndex((one) => one.meaning === meaning);
    return { rule, to, known: at < 0 ? undefined : gone.splice(at, 1)[0]! };
  });
  const paired = pairs.flatMap((one) => (one.known ? [{ ...one, known: one.known }] : []));
  const stays = staying(paired.map(({ known }) => known.at));
  const moved = new Set(paired.filter((_, i) => !stays.has(i)).map(({ to }) => to));
  return [
    ...pairs.flatMap(({ rule, to, known }): RuleChange[] => {
      if (!known) return [{ what: 'added', after: rule, to }];
      const found: RuleChange[] = [];
      if (rule.name !== known.rule.name) found.push({ what: 'renamed', before: known.rule, after: rule, to });
      if (meaningOf(rule) !== meaningOf(known.rule))
        found.push({ what: 'changed', before: known.rule, after: rule, to });
      if (moved.has(to)) found.push({ what: 'moved', after: rule, from: known.at, to });
      return found;
    }),
    ...gone.map(({ rule, at }): RuleChange => ({ what: 'removed', before: rule, from: at })),
    ...(same(before.otherwise, after.otherwise)
      ? []
      : [{ what: 'otherwise' as const, before: before.otherwise, after: after.otherwise }]),
  ];
}
