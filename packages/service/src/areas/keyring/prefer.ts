import { write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import type { AuthenticatorRow } from './authenticator-row.js';
import type { Maker } from './enrolling.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';

/** Has one authenticator, its row locked, asked for first; at most one of a person is. */
export async function preferLocked(work: Work, maker: Maker, row: AuthenticatorRow, preferred: boolean): Promise<void> {
  if (row.state !== 'active') throw new Refusal('wrong-state', { state: row.state });
  const [id, person] = [idText(row.id), idText(row.person_id)];
  await write(work, 'UPDATE authenticators SET preferred = 0 WHERE person_id = :person AND preferred = 1', {
    person: row.person_id,
  });
  await authenticators(work).update({ preferred }, { where: { id }, transaction: work.transaction });
  await work.trail(
    entryOf(maker, 'authenticator.preferred', { kind: 'authenticator', id }, { person, details: { preferred } }),
  );
}

export const prefer: Handler<'authenticators.prefer'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    await preferLocked(work, call, await lockAuthenticator(work, id), call.body.preferred);
    return { answer: describeAuthenticator(await lockAuthenticator(work, id)) };
  });
