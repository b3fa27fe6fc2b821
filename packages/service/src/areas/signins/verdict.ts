import { endAccess } from '../access/end.js';
import { endInBrowsers } from '../browsers/end-in-browsers.js';
import type { Id, Verdict } from '@nimble-latch/core/vocabulary';
import { write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { showActivity } from './activity.js';
import { sourceKey } from './lanes.js';
import { readSignIn, type StoredSignIn } from './store.js';
import type { Driver } from './trail-sign-in.js';

/**
 * An administrator says whether it was the person. If it was, where they were is familiar from now on. If it was not, that
 * place is no longer, and every session and remembered browser of the person ends.
 */
export const giveVerdict: Handler<'activity.judge'> = async (deps, call) => {
  const { id } = call.params;
  const { verdict } = call.body;
  return await call.run(async (work) => {
    const { personId, sourceAddress, signIn } = await readSignIn(work, id);
    if (personId === null || signIn.state === 'asking') throw new Refusal('wrong-state', { state: signIn.state });
    await judged(deps, work, call, call.actor.personId, { id, personId, sourceAddress }, verdict);
    return { answer: await showActivity(deps, work, id, work.now) };
  });
};

/** The person says themselves that a sign-in was not them: as if an administrator had found it out. */
export const foundOut = async (
  deps: Deps,
  work: Work,
  doer: Driver,
  { id, personId, sourceAddress }: StoredSignIn,
): Promise<void> => await judged(deps, work, doer, personId!, { id, personId: personId!, sourceAddress }, 'confirmed');

async function judged(
  deps: Deps,
  work: Work,
  doer: Driver,
  by: Id,
  { id, personId, sourceAddress }: { readonly id: Id; readonly personId: Id; readonly sourceAddress: string | null },
  verdict: Verdict,
): Promise<void> {
  await write(
    work,
    `INSERT INTO sign_in_judgements (sign_in_id, verdict, judged_by, judged_at) VALUES (:id, :verdict, :by, :now)
     ON DUPLICATE KEY UPDATE verdict = :verdict, judged_by = :by, judged_at = :now`,
    { id: idBytes(id), verdict, by: idBytes(by), now: work.now },
  );
  if (sourceAddress !== null)
    await write(
      work,
      verdict === 'dismissed'
        ? 'INSERT INTO familiar_sources (person_id, source, last_at) VALUES (:person, :source, :now) ON DUPLICATE KEY UPDATE last_at = :now'
        : 'DELETE FROM familiar_sources WHERE person_id = :person AND source = :source',
      { person: idBytes(personId), source: sourceKey(sourceAddress), now: work.now },
    );
  if (verdict === 'confirmed') {
    await endInBrowsers(work, doer, personId);
    await endAccess(deps, work, [personId]);
  }
  await work.trail(
    entryOf(
      doer,
      'sign-in.judged',
      { kind: 'person', id: personId },
      { person: personId, details: { signIn: id, verdict } },
    ),
  );
}
