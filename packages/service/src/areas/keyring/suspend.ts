import type { Id } from '@nimble-latch/core/vocabulary';
import { endAccess } from '../access/end.js';
import { noticeTo } from '../notices/notices.js';
import { refreshKeyring } from '../people/facets.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { entryOf } from '../../platform/http/actors.js';
import { idText } from '../../platform/ids.js';
import { authenticators } from './authenticator.model.js';
import type { Maker } from './enrolling.js';
import { lockAuthenticator } from './store.js';

/** One authenticator that is in use, its row locked. */
interface InUse {
  readonly id: Id;
  readonly person: Id;
  readonly method: string;
  readonly label: string;
}

/**
 * Sets one authenticator aside and tells its person. What else ends with it (sessions, sign-ins under way, the count of what somebody
 * holds) is for the caller, who may set several aside.
 *
 * @param details of the entry on the trail, beside the method
 */
export async function suspendOne(
  deps: Deps,
  work: Work,
  maker: Maker,
  { id, person, method, label }: InUse,
  details: Readonly<Record<string, string>> = {},
): Promise<void> {
  await authenticators(work).update({ state: 'suspended' }, { where: { id }, transaction: work.transaction });
  await work.trail(
    entryOf(
      maker,
      'authenticator.suspended',
      { kind: 'authenticator', id },
      { person, details: { method, ...details } },
    ),
  );
  await noticeTo(deps, work, person, 'authenticator.suspended', { about: id, label });
}

/** Sets one authenticator aside that may be in use, and ends what somebody may be signed in with by it; answers whether it was in use. */
export async function suspendIfInUse(
  deps: Deps,
  work: Work,
  maker: Maker,
  id: Id,
  details: Readonly<Record<string, string>>,
): Promise<boolean> {
  const { state, person_id, method, label } = await lockAuthenticator(work, id);
  if (state !== 'active') return false;
  const person = idText(person_id);
  await suspendOne(deps, work, maker, { id, person, method, label }, details);
  await refreshKeyring(work, person);
  // Nobody can tell which sessions were opened by it.
  await endAccess(deps, work, [person]);
  return true;
}
