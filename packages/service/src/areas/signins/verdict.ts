import { endAccess } from '../access/end.js';
import { endInBrowsers } from '../browsers/end-in-browsers.js';
import { write } from '../../platform/db/sql.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { showActivity } from './activity.js';
import { sourceKey } from './lanes.js';
import { readSignIn } from './store.js';

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
    const values = { id: idBytes(id), verdict, by: idBytes(call.actor.personId), now: work.now };
    await write(
      work,
      `INSERT INTO sign_in_judgements (sign_in_id, verdict, judged_by, judged_at) VALUES (:id, :verdict, :by, :now)
       ON DUPLICATE KEY UPDATE verdict = :verdict, judged_by = :by, judged_at = :now`,
      values,
    );
    const where = { person: idBytes(personId), source: sourceAddress === null ? null : sourceKey(sourceAddress) };
    if (where.source !== null)
      await write(
        work,
        verdict === 'dismissed'
          ? 'INSERT INTO familiar_sources (person_id, source, last_at) VALUES (:person, :source, :now) ON DUPLICATE KEY UPDATE last_at = :now'
          : 'DELETE FROM familiar_sources WHERE person_id = :person AND source = :source',
        { ...where, now: work.now },
      );
    if (verdict === 'confirmed') {
      await endInBrowsers(work, call, personId);
      await endAccess(deps, work, [personId]);
    }
    await work.trail(
      entryOf(
        call,
        'sign-in.judged',
        { kind: 'person', id: personId },
        { person: personId, details: { signIn: id, verdict } },
      ),
    );
    return { answer: await showActivity(work, id, work.now) };
  });
};
