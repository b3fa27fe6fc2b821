export { checkRulebook, type Finding, type Known } from './check.js';
export { WallClock, type WallTime } from './clock.js';
export {
  compile,
  CONDITION_KINDS,
  decide,
  explain,
  type Compiled,
  type ConditionKind,
  type Decision,
  type Facts,
  type RuleStory,
} from './decide.js';
export {
  type Conditions,
  type Exception,
  type Names,
  type Outcome,
  type Place,
  type Rule,
  type Rulebook,
  type RulebookProblem,
  type RuleState,
  type Times,
} from './form.js';
export { RULEBOOK_SCHEMA } from './schema.js';
export { FORM, MOST_RULES, readRulebook, type ReadRulebook } from './text.js';
export { editRulebook, writeRulebook, type RulebookEdit } from './write.js';
