export {
  LONGEST_STORY,
  MOST_WRONG_PROOFS,
  SIGN_IN_LIFE_MS,
  advance,
  beginSignIn,
  promptOf,
  wantsPhones,
  type Event,
  type ProofDone,
  type SignIn,
  type StoryStep,
  type Waits,
} from './state.js';
export { amrOf, delegateOf, wayOf } from './way.js';
export { verificationFor } from './verification.js';
export * from './foresee.js';
export { leastFor, needsLess, sayLeast, type Least } from './least.js';
export {
  canAnswer,
  dependsOnKeyring,
  promptFor,
  waysFor,
  wishing,
  type Ask,
  type Asked,
  type AtLeast,
  type Proved,
  type Requirement,
} from './requirement.js';
export { invitedOutcome } from './first-proof.js';
export { guardedOutcome } from './guarded.js';
