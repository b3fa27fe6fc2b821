import type { Answer } from '@nimble-latch/api';
import { assuranceOf, writeWay, type Way } from '@nimble-latch/core/assurance';
import type { Finding, Outcome, Rule, RuleChange, Rulebook } from '@nimble-latch/core/rulebook';

type Checked = Answer<'rulebook.check'>;
type ShownRulebook = NonNullable<Checked['rulebook']>;
export type ShownFinding = Checked['findings'][number];

export const shownWay = (way: Way) => ({ way: writeWay(way), ...assuranceOf(way) });
export const shownOutcome = (outcome: Outcome): ShownRulebook['otherwise'] =>
  'ways' in outcome ? { kind: outcome.kind, ways: outcome.ways.map(shownWay) } : outcome;
export const shownRule = (rule: Rule): ShownRulebook['rules'][number] =>
  ({
    ...rule,
    except: rule.except.map(({ instead, ...one }) => ({
      ...one,
      ...(instead ? { instead: shownOutcome(instead) } : {}),
    })),
    then: shownOutcome(rule.then),
  }) as ShownRulebook['rules'][number];
export const shownRulebook = ({ rules, otherwise }: Rulebook): ShownRulebook => ({
  rules: rules.map(shownRule),
  otherwise: shownOutcome(otherwise),
});

export const shownChange = (change: RuleChange): Answer<'rulebookDraft.review'>['changes'][number] => ({
  what: change.what,
  before: 'before' in change && change.what !== 'otherwise' ? shownRule(change.before) : null,
  after: 'after' in change && change.what !== 'otherwise' ? shownRule(change.after) : null,
  otherwise:
    change.what === 'otherwise' ? { before: shownOutcome(change.before), after: shownOutcome(change.after) } : null,
  from: 'from' in change ? change.from : null,
  to: 'to' in change ? change.to : null,
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
