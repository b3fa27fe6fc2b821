import type { Id, Method } from '@nimble-latch/core/vocabulary';
import { noticeTo } from '../notices/notices.js';
import { refreshKeyring } from '../people/facets.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import { idText } from '../../platform/ids.js';
import { authenticators } from './authenticator.model.js';
import type { AuthenticatorRow } from './authenticator-row.js';
import type { Maker } from './enrolling.js';
import { assertInHand, lockAuthenticator } from './store.js';

/** An authenticator that waits to be proved in another area, its row locked and what carries it in hand. */
export async function lockPending(work: Work, id: Id, method: Method): Promise<AuthenticatorRow> {
  const row = await lockAuthenticator(work, id);
  if (row.method !== method || row.state !== 'pending') throw new Refusal('wrong-state', { state: row.state });
  await assertInHand(work, row.carrier_id);
  return row;
}

/** It was proved: it can be used from now on, and its person hears of it. */
export async function activate(deps: Deps, work: Work, maker: Maker, row: AuthenticatorRow): Promise<void> {
  const [id, person] = [idText(row.id), idText(row.person_id)];
  await authenticators(work).update(
    { state: 'active', activatedAt: work.now },
    { where: { id }, transaction: work.transaction },
  );
  await refreshKeyring(work, person);
  await work.trail(entryOf(maker, 'authenticator.proved', { kind: 'authenticator', id }, { person }));
  await noticeTo(deps, work, person, 'authenticator.proved', { about: id, label: row.label });
}
