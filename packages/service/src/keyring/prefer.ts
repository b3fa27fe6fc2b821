import { updateById, write } from '../db/sql.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, text } from '../ids.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';

/** Has one authenticator asked for first; at most one of a person is. */
export const prefer: Handler<'authenticators.prefer'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { preferred } = call.body;
    const row = await lockAuthenticator(work, id);
    if (row.state !== 'active') throw new Refusal('wrong-state', { state: row.state });
    const person = text(row.person_id);
    await write(work, 'UPDATE authenticators SET preferred = 0 WHERE person_id = :person AND preferred = 1', {
      person: row.person_id,
    });
    await updateById(work, 'authenticators', key(id), { preferred: preferred ? 1 : 0 });
    await work.trail(
      entryOf(call, 'authenticator.preferred', { kind: 'authenticator', id }, { person, details: { preferred } }),
    );
    return { answer: describeAuthenticator(await lockAuthenticator(work, id)) };
  });
