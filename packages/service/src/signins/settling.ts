import type { RouteId } from '@nimble-latch/api';
import type { Opening, Work } from '../db/unit-of-work.js';
import type { Call, Reply } from '../http/call.js';
import type { StoredSignIn } from './store.js';

/** Runs a step in the call's transaction and makes its reply. */
export function settling<R extends RouteId>(
  call: Call<R>,
  reply: (stored: StoredSignIn, work: Work) => Promise<Reply<R>>,
) {
  return async (step: (work: Work) => Promise<StoredSignIn>, opening?: Opening): Promise<Reply<R>> =>
    await call.run(async (work) => await reply(await step(work), work), opening);
}
