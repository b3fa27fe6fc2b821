import type { Explanation } from '../routes/rulebook.js';
import type { Catalogue } from './en.js';
import { sayOutcome, sayRule } from './say-rule.js';
import { say } from './say.js';

/** An explanation in sentences that can be read aloud, the answer first. */
export interface SaidExplanation {
  /** What happens, and which rule decides. */
  readonly answer: readonly string[];
  readonly rules: readonly { readonly name: string; readonly sentence: string; readonly why: string }[];
  readonly otherwise: string;
  /** What would serve, way by way. */
  readonly ways: readonly string[];
}

export function sayExplanation(words: Catalogue, { rules, ways, meets, ...told }: Explanation): SaidExplanation {
  const w = words.rulebook;
  const outcome = sayOutcome(words, told.outcome);
  const why = meets.reason === null ? '' : words.reasons[meets.reason];
  return {
    answer: [
      say(meets.way ? w.metWith : w.met[meets.state], {
        why,
        way: meets.way ?? '',
        name: told.person.displayName ?? words.actors.erased,
      }),
      told.decidedBy === null
        ? say(w.decidedOtherwise, { outcome })
        : say(w.decidedBy, { rule: told.decidedBy, outcome }),
      ...(told.trial === null ? [] : [say(w.trialSays, { rule: told.trial })]),
      ...(told.barred.length === 0
        ? []
        : [say(w.barred, { methods: told.barred.map((method) => words.methods[method]).join(', ') })]),
    ],
    rules: rules.map(({ rule, standing, conditions, exception }) => {
      const tests = conditions.map(({ kind, holds }) =>
        say(holds ? w.holds : w.holdsNot, { condition: w.conditions[kind] }),
      );
      const stands = say(w.standings[standing], { ...exception });
      return {
        name: rule.name,
        sentence: sayRule(words, rule),
        why: tests.length > 0 ? `${stands} (${tests.join(', ')})` : stands,
      };
    }),
    otherwise: told.decidedBy === null ? `${w.otherwise} → ${outcome}` : w.otherwise,
    ways: ways.map(({ way, servedBy }) =>
      servedBy === null
        ? say(w.notServed, { way })
        : say(w.servedBy, {
            way,
            authenticators: servedBy.map(({ label, method }) => label || words.methods[method]).join(', '),
          }),
    ),
  };
}
