import type { Id } from '@nimble-latch/core/vocabulary';
import { carryOut, type Statement } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { conclude } from './conclude.js';
import type { Judged } from './proofs/judged.js';
import { readSignIn, type StoredSignIn } from './store.js';
import type { Driver } from './trail-sign-in.js';

/** The sign-in that a phone is asked about, its row locked. */
export const lockAsked = async (work: Work, id: Id): Promise<StoredSignIn> => await readSignIn(work, id, true);

/**
 * A phone has said what lets nobody in: the sign-in ends, or asks for something else. It is written at once, since what may end the
 * person's access next looks at every sign-in that is still asking.
 */
export async function refusedByPhone(
  deps: Deps,
  work: Work,
  driver: Driver,
  stored: StoredSignIn,
  judgement: Extract<Judged['judgement'], { type: 'denied' | 'unanswered' }>,
): Promise<StoredSignIn> {
  const writes: Statement[] = [];
  const plan = { ...work, atEnd: (statement: Statement) => void writes.push(statement) };
  const ended = await conclude(deps, plan, driver, stored, { judgement, writes: [] });
  for (const statement of writes) await carryOut(work, statement);
  return ended;
}
