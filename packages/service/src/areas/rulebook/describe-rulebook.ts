import type { Answer } from '@nimble-latch/api';
import { assuranceOf, writeWay, type Way } from '@nimble-latch/core/assurance';
import type { Finding, Outcome, Rule, Rulebook } from '@nimble-latch/core/rulebook';

type Checked = Answer<'rulebook.check'>;
type ShownRulebook = NonNullable<Checked['rulebook']>;
export type ShownFinding = Checked['findings'][number];

export const shownWay = (way: Way) => ({ way: writeWay(way), ...assuranceOf(way) });
export const shownOutcome = (outcome: Outcome): ShownRulebook['otherwise'] =>
  'ways' in outcome ? { kind: outcome.kind, ways: outcome.ways.map(shownWay) } : outcome;
export const shownRule = (rule: Rule): ShownRulebook['rules'][number] =>
  ({ ...rule, then: shownOutcome(rule.then) }) as ShownRulebook['rules'][number];
export const shownRulebook = ({ rules, otherwise }: Rulebook): ShownRulebook => ({
  rules: rules.map(shownRule),
  otherwise: shownOutcome(otherwise),
});

/** A finding with the names and days that its sentence tells. */
export function shownFinding({ rules }: Rulebook, finding: Finding): ShownFinding {
  const rule = rules[finding.rule]!;
  const told = (facts: Record<string, string>) => ({ what: finding.what, rule: rule.name, facts });
  switch (finding.what) {
    case 'never-reached':
      return told({ because: rules[finding.because]!.name });
    case 'exception-ended': {
      const { person, group, until } = rule.except[finding.exception]!;
      return told({ name: person ?? group ?? '', until });
    }
    case 'trial-over':
      return told({ until: rule.state.kind === 'on-trial' ? rule.state.until : '' });
    case 'grace-over':
      return told({ until: rule.grace?.lastDay ?? '' });
    case 'name-unknown':
      return { ...told({ name: finding.name }), kind: finding.kind };
    case 'enrols-by-one-proof':
    case 'group-empty':
      return told({ name: finding.name });
  }
}
