import type { TokenEvent, Id } from '@nimble-latch/core/vocabulary';
import { selectOne } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import type { Actor } from '../../platform/http/actors.js';
import { idBytes, idText, idTextOrNull } from '../../platform/ids.js';
import { eventColumns } from './rows.js';
import { tokenEvents } from './token-event.model.js';

/** Adds a line to the story of the token that an authenticator is; nothing where it is none of the stock. */
export async function recordTokenEvent(
  deps: Deps,
  work: Work,
  actor: Actor,
  authenticator: Id,
  event: TokenEvent,
): Promise<void> {
  const row = await selectOne<{ id: Buffer; person_id: Buffer | null }>(
    work,
    'SELECT id, person_id FROM tokens WHERE authenticator_id = :id',
    { id: idBytes(authenticator) },
  );
  if (!row) return;
  const by = actor.kind === 'person' || actor.kind === 'page' ? actor.personId : null;
  const person = idTextOrNull(row.person_id);
  await tokenEvents(work).create(eventColumns(deps, idText(row.id), event, work.now, { by, person }), {
    transaction: work.transaction,
  });
}
