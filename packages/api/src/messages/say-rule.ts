import type { ShownRule } from '../routes/rulebook.js';
import type { Catalogue } from './en.js';
import { sayConditions, sayDuration } from './say-condition.js';
import { say } from './say.js';

const orOf = (words: Catalogue['rulebook'], names: readonly string[]) => names.join(words.or);

/** What a rule asks for or does. */
export function sayOutcome(words: Catalogue, then: ShownRule['then']): string {
  const w = words.rulebook;
  switch (then.kind) {
    case 'ways':
    case 'whoever-has-one':
      return say(w.outcomes[then.kind], {
        ways: orOf(
          w,
          then.ways.map((way) => way.way),
        ),
      });
    case 'level':
      return say(w.outcomes.level, { level: then.level });
    default:
      return w.outcomes[then.kind];
  }
}

/** A rule as a sentence, its conditions between dots, then what follows: `Everybody · at Payroll → ask for password + totp`. */
export function sayRule(words: Catalogue, { conditions, then, except, state, ...more }: ShownRule): string {
  const w = words.rulebook;
  const parts = [
    ...sayConditions(words, conditions),
    ...except.map(({ person, group, until, instead }) => {
      const who = person ?? say(w.inGroups, { names: group ?? '' });
      return instead
        ? say(w.exceptInstead, { who, until, outcome: sayOutcome(words, instead) })
        : say(w.except, { who, until });
    }),
  ];
  const after = [
    sayOutcome(words, then),
    more.oncePerSession && w.once,
    more.rememberDays > 0 && say(w.remember, { age: sayDuration(words, more.rememberDays * 1_440) }),
    more.grace && say(w.grace, { age: sayDuration(words, more.grace.days * 1_440), until: more.grace.lastDay }),
  ].filter((part) => typeof part === 'string');
  const standing =
    state.kind === 'in-force'
      ? ''
      : ` (${state.kind === 'resting' ? w.resting : say(w.onTrial, { until: state.until })})`;
  return `${parts.join(' · ')} → ${after.join(', ')}${standing}`;
}
