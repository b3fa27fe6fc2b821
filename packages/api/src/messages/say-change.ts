import type { AffectedPerson, ShownChange } from '../routes/rulebook.js';
import type { Catalogue } from './en.js';
import { sayOutcome, sayRule } from './say-rule.js';
import { say } from './say.js';

/** A difference between two rulebooks: what happens to which rule, and the sentences before and after. */
export function sayChange(
  words: Catalogue,
  { what, before, after, otherwise, from, to }: ShownChange,
): { readonly title: string; readonly before: string | null; readonly after: string | null } {
  const w = words.rulebook.changes;
  const place = (at: number | null) => String((at ?? 0) + 1);
  const title = say(w[what], {
    rule: (after ?? before)?.name ?? '',
    was: before?.name ?? '',
    from: place(from),
    to: place(to),
  });
  // What only moved or is called otherwise says the same as before.
  if (what === 'moved' || what === 'renamed') return { title, before: null, after: null };
  if (otherwise)
    return { title, before: sayOutcome(words, otherwise.before), after: sayOutcome(words, otherwise.after) };
  return { title, before: before && sayRule(words, before), after: after && sayRule(words, after) };
}

/** Where somebody would need less than today, from where, and what: a line for each application. */
export function sayEased(words: Catalogue, eased: AffectedPerson['eased']): string[] {
  const w = words.rulebook.eased;
  const least = (one: AffectedPerson['eased'][number]['before']) => {
    if (!one) return w.notAtAll;
    const more = [
      ...(one.grace ? [w.inGrace] : []),
      ...(one.rememberedDays > 0 ? [say(w.remembered, { days: one.rememberedDays }, words.language)] : []),
    ];
    return [one.way, ...more].join(', ');
  };
  return eased.map((one) => {
    const places = one.networks.map((name) => name ?? w.elsewhere).join(', ');
    const where = places === '' ? one.application : say(w.from, { application: one.application, places });
    return `${where}: ${least(one.before)} → ${least(one.after)}`;
  });
}
