import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS } from '@nimble-latch/api';
import { countersignedForKeyring } from '../access/countersign.js';
import { selectOne, selectOneToWrite } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Call, Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { assertOffered } from '../methods/offer.js';
import { lockPerson } from '../people/lock-person.js';
import { eventColumns, givenTo, type StockRow } from './rows.js';
import { lockToken, showToken } from './store.js';
import { tokenEvents } from './token-event.model.js';
import { tokens } from './token.model.js';

type Assigning = Call<'tokens.assign'> | Call<'tokens.assignNext'>;

/** Gives a token that nobody has to a person. The row's lock decides between two who want the same one. */
async function assign(deps: Deps, work: Work, call: Assigning, row: StockRow, id: Id): Promise<void> {
  const person = call.params.id;
  const { state } = await lockPerson(work, person);
  if (state !== 'active') throw new Refusal('wrong-state', { state });
  if (row.state !== 'in-stock') throw new Refusal('wrong-state', { state: row.state });
  await assertOffered(deps, work, person, row.method);
  const held = await selectOne<{ n: number }>(
    work,
    "SELECT COUNT(*) AS n FROM authenticators WHERE person_id = :person AND state IN ('pending', 'active', 'suspended')",
    { person: idBytes(person) },
  );
  if (Number(held?.n ?? 0) >= LIMITS.authenticatorsPerPerson)
    throw new Refusal('limit-reached', { limit: LIMITS.authenticatorsPerPerson });
  await countersignedForKeyring(deps, work, call, person, { assign: id }, (name) => ({
    what: 'factor-begun',
    facts: { name, label: row.serial },
  }));
  await tokens(work).update(givenTo(person, work.now), { where: { id }, transaction: work.transaction });
  await tokenEvents(work).create(eventColumns(deps, id, 'assigned', work.now, { by: call.actor.personId, person }), {
    transaction: work.transaction,
  });
  await work.trail(entryOf(call, 'token.assigned', { kind: 'token', id }, { person, details: { serial: row.serial } }));
}

export const assignToken: Handler<'tokens.assign'> = async (deps, call) =>
  await call.run(async (work) => {
    const { tokenId } = call.params;
    await assign(deps, work, call, await lockToken(work, tokenId), tokenId);
    return { answer: await showToken(work, tokenId) };
  });

/** The next one by serial number; one that somebody else is taking at this moment is passed over. */
export const assignNextToken: Handler<'tokens.assignNext'> = async (deps, call) =>
  await call.run(async (work) => {
    const { batch } = call.body;
    const row = await selectOneToWrite<StockRow>(
      work,
      `SELECT t.* FROM tokens t WHERE t.state = 'in-stock' ${batch === undefined ? '' : 'AND t.batch_id = :batch'}
       AND (t.expires_on IS NULL OR t.expires_on > :today) ORDER BY t.serial_key LIMIT 1`,
      {
        today: work.now.toISOString().slice(0, 10),
        ...(batch === undefined ? {} : { batch: idBytes(batch) }),
      },
      'SKIP LOCKED',
    );
    if (!row) throw new Refusal('stock-empty');
    const id = idText(row.id);
    await assign(deps, work, call, row, id);
    return { answer: await showToken(work, id) };
  });
