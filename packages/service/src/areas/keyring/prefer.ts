import { write } from '../../platform/db/sql.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';

/** Has one authenticator asked for first; at most one of a person is. */
export const prefer: Handler<'authenticators.prefer'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { preferred } = call.body;
    const row = await lockAuthenticator(work, id);
    if (row.state !== 'active') throw new Refusal('wrong-state', { state: row.state });
    const person = idText(row.person_id);
    await write(work, 'UPDATE authenticators SET preferred = 0 WHERE person_id = :person AND preferred = 1', {
      person: row.person_id,
    });
    await authenticators(work).update({ preferred }, { where: { id }, transaction: work.transaction });
    await work.trail(
      entryOf(call, 'authenticator.preferred', { kind: 'authenticator', id }, { person, details: { preferred } }),
    );
    return { answer: describeAuthenticator(await lockAuthenticator(work, id)) };
  });
