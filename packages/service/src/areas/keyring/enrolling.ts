import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS, type Parsed } from '@nimble-latch/api';
import { selectOne } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf, type Actor } from '../../platform/http/actors.js';
import { idBytes, newId } from '../../platform/ids.js';
import { keepingSerialsApart, serialColumns } from './carriers.js';
import { carriers } from './carrier.model.js';
import { selectOneToHold } from '../../platform/db/claims.js';

/** Who makes something, for the trail. */
export interface Maker {
  readonly actor: Actor;
  readonly origin: string;
}

type WantedCarrier = Parsed<'totp.begin', 'body'>['carrier'];

/** Whoever is to get one more authenticator, their row locked. Throws where they are not active, or hold too many. */
export async function lockEnrolling(
  work: Work,
  person: Id,
): Promise<{ readonly name: string | null; readonly displayName: string; readonly userHandle: Buffer | null }> {
  const row = await selectOneToHold<{
    state: string;
    display_name: string;
    user_handle: Buffer | null;
    name: string | null;
    held: number;
  }>(
    work,
    'persons WHERE id = :id',
    `SELECT p.state, p.display_name, p.user_handle, (SELECT value FROM login_names n WHERE n.person_id = p.id ORDER BY id LIMIT 1) AS name,
       (SELECT COUNT(*) FROM authenticators a WHERE a.person_id = p.id AND a.state IN ('pending', 'active', 'suspended')) AS held
     FROM persons p WHERE p.id = :id`,
    { id: idBytes(person) },
  );
  if (!row) throw new Refusal('not-found');
  if (row.state !== 'active') throw new Refusal('wrong-state', { state: row.state });
  if (Number(row.held) >= LIMITS.authenticatorsPerPerson)
    throw new Refusal('limit-reached', { limit: LIMITS.authenticatorsPerPerson });
  return { name: row.name, displayName: row.display_name, userHandle: row.user_handle };
}

/** The carrier that something is enrolled on: one that is there, or a new one. */
export async function carrierFor(
  deps: Deps,
  work: Work,
  maker: Maker,
  person: Id,
  carrier: WantedCarrier,
): Promise<Id> {
  if ('id' in carrier) {
    const found = await selectOne<{ state: string }>(
      work,
      'SELECT state FROM carriers WHERE id = :id AND person_id = :person',
      {
        id: idBytes(carrier.id),
        person: idBytes(person),
      },
    );
    if (!found) throw badField('body.carrier.id', 'not-their-carrier');
    if (found.state === 'lost') throw badField('body.carrier.id', 'lost-carrier');
    return carrier.id;
  }
  const id = newId(deps);
  const row = { id, personId: person, kind: carrier.kind, state: 'in-hand' as const, label: carrier.label };
  const values = { ...row, ...serialColumns(carrier.serial), createdAt: work.now };
  await keepingSerialsApart(deps, carrier.serial, carriers(work).create(values, { transaction: work.transaction }));
  await work.trail(
    entryOf(maker, 'carrier.added', { kind: 'carrier', id }, { person, details: { kind: carrier.kind } }),
  );
  return id;
}
