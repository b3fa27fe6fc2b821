import type { RuleCondition, RuleStanding } from '../vocabulary.js';
import { WallClock } from './clock.js';
import { CONDITIONS_BY_COST, type Test } from './conditions/index.js';
import type { Facts } from './facts.js';
import type { Exception, Outcome, Rule, Rulebook } from './form.js';
import { Masks, nextOf } from './masks.js';

interface CompiledRule {
  readonly rule: Rule;
  readonly index: number;
  readonly tests: readonly { readonly kind: RuleCondition; readonly holds: Test }[];
  /** Those of them that are left to ask of the rules that the masks find. */
  readonly left: readonly Test[];
  readonly except: readonly { readonly exception: Exception; readonly leavesOut: Test }[];
  /** The first moment at which a trial is over; Infinity for rules in force. */
  readonly until: number;
}

/** A rulebook ready for deciding. Rules at rest are left out, but explained. */
export interface Compiled {
  readonly rulebook: Rulebook;
  readonly rules: readonly CompiledRule[];
  readonly masks: Masks;
}

/** Which rule decides. */
export interface Decision {
  /** Its place in the rulebook, from 0; undefined for *otherwise*. */
  readonly index: number | undefined;
  readonly rule: Rule | undefined;
  /** What the rule asks, or what an exception of it says instead. */
  readonly outcome: Outcome;
  /** The rule on trial that would have decided instead. */
  readonly trial: { readonly index: number; readonly rule: Rule } | undefined;
}

/** The first moment after a day. */
const endOf = (day: string): number => Date.parse(`${day}T00:00:00Z`) + 86_400_000;

/** Makes a rulebook ready. Names are compared as they stand; whoever asks brings both sides into one spelling. */
export function compile(rulebook: Rulebook, clock = new WallClock()): Compiled {
  const rules = rulebook.rules.flatMap((rule, index): CompiledRule[] => {
    if (rule.state.kind === 'resting') return [];
    const tests = CONDITIONS_BY_COST.flatMap(({ kind, test }) => {
      const holds = test(rule.conditions, clock);
      return holds ? [{ kind, holds }] : [];
    });
    return [
      {
        rule,
        index,
        tests,
        left: tests.filter(({ kind }) => kind !== 'who' && kind !== 'applications').map(({ holds }) => holds),
        except: rule.except.map((exception) => ({ exception, leavesOut: exceptionTest(exception) })),
        until: rule.state.kind === 'on-trial' ? endOf(rule.state.until) : Infinity,
      },
    ];
  });
  return { rulebook, rules, masks: new Masks(rules.map(({ rule }) => rule.conditions)) };
}

function exceptionTest({ person, group, until }: Exception): Test {
  const end = endOf(until);
  return (facts) =>
    facts.at < end &&
    ((person !== undefined && facts.person.names.has(person)) ||
      (group !== undefined && facts.person.groups.has(group)));
}

/** What a rule comes to for a sign-in: undefined where it does not apply, or leaves the person out. */
function outcomeAt({ rule, left, except }: CompiledRule, facts: Facts): Outcome | undefined {
  for (const holds of left) if (!holds(facts)) return undefined;
  for (const { exception, leavesOut } of except) if (leavesOut(facts)) return exception.instead;
  return rule.then;
}

/** Decides: the first rule in force that applies, else *otherwise*. */
export function decide({ rules, rulebook, masks }: Compiled, facts: Facts): Decision {
  let trial: Decision['trial'];
  const found = masks.candidates(facts.person, facts.application);
  for (let at = nextOf(found, 0); at >= 0; at = nextOf(found, at + 1)) {
    const compiled = rules[at]!;
    const onTrial = compiled.until !== Infinity;
    // A trial that is over rests; of several trials the first that applies is the one that would have decided.
    if (onTrial && (trial || facts.at >= compiled.until)) continue;
    const outcome = outcomeAt(compiled, facts);
    if (!outcome) continue;
    const { index, rule } = compiled;
    if (!onTrial) return { index, rule, outcome, trial };
    trial = { index, rule };
  }
  return { index: undefined, rule: undefined, outcome: rulebook.otherwise, trial };
}

/** How one rule stood to a sign-in. */
export interface RuleStory {
  readonly index: number;
  readonly rule: Rule;
  readonly conditions: readonly { readonly kind: RuleCondition; readonly holds: boolean }[];
  /** The exception that is for the person, though every condition held: it leaves them out, or says what holds instead. */
  readonly exception: Exception | undefined;
  readonly standing: RuleStanding;
}

/** Every rule in its order with each of its conditions, and which of them decides: the same as {@link decide} finds. */
export function explain(
  compiled: Compiled,
  facts: Facts,
): { readonly decision: Decision; readonly rules: readonly RuleStory[] } {
  const decision = decide(compiled, facts);
  const ready = new Map(compiled.rules.map((one) => [one.index, one]));
  const rules = compiled.rulebook.rules.map((rule, index): RuleStory => {
    const one = ready.get(index);
    if (!one) return { index, rule, conditions: [], exception: undefined, standing: 'resting' };
    const conditions = one.tests.map(({ kind, holds }) => ({ kind, holds: holds(facts) }));
    const all = conditions.every(({ holds }) => holds);
    const exception = all ? one.except.find(({ leavesOut }) => leavesOut(facts))?.exception : undefined;
    const story = { index, rule, conditions, exception };
    if (facts.at >= one.until) return { ...story, standing: 'trial-over' };
    if (!all) return { ...story, standing: 'does-not-apply' };
    if (exception && !exception.instead) return { ...story, standing: 'excepted' };
    if (decision.index === index) return { ...story, standing: exception ? 'decides-instead' : 'decides' };
    return { ...story, standing: decision.trial?.index === index ? 'would-decide' : 'too-late' };
  });
  return { decision, rules };
}
