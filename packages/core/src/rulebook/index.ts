export { bindNames, namesUsed, needsOf, type Binding } from './bind.js';
export { changesBetween, type RuleChange } from './changes.js';
export { checkRulebook, type Finding, type Known } from './check.js';
export { WallClock, type WallTime } from './clock.js';
export { compile, decide, explain, type Compiled, type Decision, type RuleStory } from './decide.js';
export {
  type Conditions,
  type Exception,
  type Names,
  type Outcome,
  type TextPosition as Place,
  type Rule,
  type Rulebook,
  type RulebookProblem,
  type RuleState,
  type Times,
} from './form.js';
export type { Facts, Needs, RecordedFacts, UsedNames } from './facts.js';
export { recallFacts, recordFacts } from './recorded.js';
export { RULEBOOK_SCHEMA } from './schema.js';
export { FIRST_RULEBOOK, starterText } from './starters.js';
export { systemOf } from './system.js';
export { FORM, MOST_RULES, readRulebook, type ReadRulebook } from './text.js';
export { editRulebook, writeRulebook, type RulebookEdit } from './write.js';
