import { advance, delegateOf, dependsOnKeyring, type SignIn } from '@nimble-latch/core/signin';
import type { Plan } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { currentKeyring, heldAt } from '../keyring/usable.js';
import { trailSignIn, type Driver } from './trail-sign-in.js';
import { advanceRight } from './grace.js';
import { askingPhones } from './phones.js';
import { rememberSource, spendBudget } from './lanes.js';
import type { Judged } from './proofs/judged.js';
import { saveSignIn, type StoredSignIn } from './store.js';

type Judgement = Judged['judgement'];

/** What costs a source that is not familiar some of what it may try. A far counter is counted as failed until the next code shows that it was not. */
const COSTS: ReadonlySet<Judgement['type']> = new Set(['wrong', 'far']);
/** What stands on the trail at once; a step on the way stands in the sign-in's own story, and the trail has how it ends. */
const TOLD: ReadonlySet<Judgement['type']> = new Set(['wrong', 'far', 'turned-away']);

/**
 * Carries out what an attempt came to: the next state, the guards' writes, what is remembered of its source or taken from its budget,
 * and what is told. The same for every kind of proof.
 */
export async function conclude(
  deps: Deps,
  plan: Plan,
  driver: Driver,
  stored: StoredSignIn,
  { judgement, writes, standing, remembered = 'when-right', entries = [] }: Judged,
): Promise<StoredSignIn> {
  // The sign-in before its authenticators, as the locks are taken: two that meet queue instead of blocking each other.
  const saved =
    judgement.type === 'beside' ? stored : saveSignIn(plan, stored, await asNext(deps, plan, stored, judgement));
  for (const write of writes) plan.atEnd(write);
  for (const entry of entries) await plan.trail(entry);
  if (judgement.type === 'beside') return saved;
  const { state } = saved.signIn;
  const known = remembered === 'when-right' ? judgement.type === 'right' : state === 'let-in';
  // Where somebody acts for a person is no place of that person's.
  if (standing && known && delegateOf(saved.signIn.proofs) === undefined)
    rememberSource(plan, stored.personId!, standing);
  if (standing && COSTS.has(judgement.type)) spendBudget(plan, standing);
  if (TOLD.has(judgement.type) || state !== 'asking') await trailSignIn(deps, plan, driver, saved);
  return saved;
}

/** A right proof mostly ends it; only where a way asks for more is the rest of the keyring looked at. */
async function nextState(
  plan: Plan,
  stored: StoredSignIn,
  judgement: Exclude<Judgement, { type: 'beside' }>,
): Promise<SignIn> {
  const { signIn, personId, applicationId } = stored;
  const nowMs = plan.now.getTime();
  if (judgement.type !== 'right') return advance(signIn, judgement, nowMs);
  // A rule that asks whoever has one asks those who hold enough for it, whatever they have proved so far.
  if (!judgement.keyring && !dependsOnKeyring(signIn.requirement.outcome)) {
    const alone = advance(signIn, { ...judgement, keyring: [] }, nowMs);
    if (alone.state === 'let-in' || alone.state === 'refused') return alone;
  }
  const keyring = judgement.keyring ?? heldAt(await currentKeyring(plan.reading, personId!), applicationId);
  return await advanceRight(plan.reading, stored, signIn, { ...judgement, keyring }, plan.now, plan.atEnd);
}

/** The next state; where it asks for an approval, phones are asked. */
async function asNext(
  deps: Deps,
  plan: Plan,
  stored: StoredSignIn,
  judgement: Exclude<Judgement, { type: 'beside' }>,
): Promise<SignIn> {
  const next = await nextState(plan, stored, judgement);
  return await askingPhones(deps, plan, stored, next);
}
