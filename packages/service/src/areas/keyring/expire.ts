import { select } from '../../platform/db/sql.js';
import { endAccess, lostLastFactor, stopSignIns } from '../access/end.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { noticeTo } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { idText } from '../../platform/ids.js';
import { refreshKeyring } from '../people/facets.js';
import { lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';

const AT_ONCE = 200;

/**
 * What has passed its last day is marked so, with its holder told. It has not counted since midnight (UTC) anyway: the queries
 * of sign-ins ask for the day.
 */
export async function expireAuthenticators(deps: Deps): Promise<string> {
  let expired = 0;
  // A box runs out on one day.
  for (;;) {
    const due = await select<{ id: Buffer }>(
      deps,
      `SELECT id FROM authenticators WHERE expires_on < UTC_DATE() AND state IN ('active', 'suspended') ORDER BY id LIMIT ${AT_ONCE}`,
    );
    for (const { id } of due) await expire(deps, id);
    expired += due.length;
    if (due.length < AT_ONCE) return `${expired} expired`;
  }
}

async function expire(deps: Deps, id: Buffer): Promise<void> {
  await inTransaction(deps, async (work) => {
    const row = await lockAuthenticator(work, idText(id));
    if (row.state !== 'active' && row.state !== 'suspended') return;
    const person = idText(row.person_id);
    await authenticators(work).update(
      { state: 'expired', endedAt: work.now, secretSealed: null },
      { where: { id: idText(id) }, transaction: work.transaction },
    );
    await refreshKeyring(work, person);
    if (await lostLastFactor(work, person, row)) await endAccess(deps, work, [person]);
    else await stopSignIns(deps, work, [person]);
    await work.trail({
      actor: { kind: 'service', id: null },
      action: 'authenticator.expired',
      target: { kind: 'authenticator', id: idText(id) },
      person,
      origin: null,
      reason: null,
      details: { method: row.method },
    });
    await noticeTo(deps, work, person, 'authenticator.expired', row);
  });
}
