import type { RouteId } from '@nimble-latch/api';
import type { Plan, Work } from '../../platform/db/unit-of-work.js';
import type { Call, Reply } from '../../platform/http/call.js';
import type { Step } from './proofs/index.js';
import type { StoredSignIn } from './store.js';

/** Runs a step where its reply takes no more than reading. */
export async function takeStep<R extends RouteId>(
  call: Call<R>,
  step: Step,
  reply: (stored: StoredSignIn, plan: Plan) => Promise<Reply<R>>,
): Promise<Reply<R>> {
  return await orGivenBack(step, async () =>
    step.needs === 'reading'
      ? await call.plan(async (plan) => await reply(await step.take(plan), plan), step.opening)
      : await call.run(async (work) => await reply(await step.take(work), work), step.read),
  );
}

/** Runs a step where letting in writes more than the proof (a session, a code): in a transaction from the start, so that it is not begun twice. */
export async function takeStepBehindLocks<R extends RouteId>(
  call: Call<R>,
  step: Step,
  reply: (stored: StoredSignIn, work: Work) => Promise<Reply<R>>,
): Promise<Reply<R>> {
  const read = step.needs === 'reading' ? step.opening.read : step.read;
  return await orGivenBack(
    step,
    async () => await call.run(async (work) => await reply(await step.take(work), work), read),
  );
}

async function orGivenBack<T>(step: Step, run: () => Promise<T>): Promise<T> {
  try {
    return await run();
  } catch (error) {
    await step.failed?.(error);
    throw error;
  }
}
