import { carryOut, type Statement } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { conclude } from './conclude.js';
import type { Judged } from './proofs/judged.js';
import { onlySignIn, SIGN_IN_COLUMNS, type StoredSignIn } from './store.js';
import type { Driver } from './trail-sign-in.js';

/** Opens with the sign-in that somebody's phone is asked about, its row locked; with nothing where it is asked about itself. */
export const lockingAsked = (asked: { readonly id: Buffer; readonly person: Buffer }): Statement => ({
  sql: `SELECT ${SIGN_IN_COLUMNS} FROM sign_ins s WHERE s.id = (SELECT q.sign_in_id FROM push_requests q WHERE q.id = :id AND q.person_id = :person)`,
  values: asked,
});

/** What that brought. */
export const lockedAsked = ({ opened }: Pick<Work, 'opened'>): StoredSignIn | undefined =>
  opened.length === 0 ? undefined : onlySignIn(opened);

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
