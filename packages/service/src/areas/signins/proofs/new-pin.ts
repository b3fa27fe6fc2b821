import { takesPin } from '@nimble-latch/core/methods';
import type { Id } from '@nimble-latch/core/vocabulary';
import { selectOne, selectOneToWrite, type Db } from '../../../platform/db/sql.js';
import { noticeTo } from '../../notices/notices.js';
import { Refusal } from '../../../platform/errors.js';
import { entryOf } from '../../../platform/http/actors.js';
import { idBytes, storedId } from '../../../platform/ids.js';
import { preparePin, storePin } from '../../keyring/pins.js';
import { standingOf } from '../lanes.js';
import { judgedBehindLocks } from './proof.js';

interface Prepared {
  readonly id: Id;
  readonly phc: string;
}

/**
 * Somebody whose PIN was given by somebody else, or who has none and needs one, chooses their own after everything else is
 * proved. One that will not do is refused with the reason; the sign-in goes on asking.
 */
export const newPin = judgedBehindLocks<Prepared>({
  by: 'value',
  prepare: async ({ deps, proof }, { signIn }) => {
    const { authenticator, method } = signIn.newPin!;
    const id = storedId(authenticator);
    const least = takesPin(method) ? signIn.requirement.codes?.[method]?.leastPin : undefined;
    return { id, phc: await preparePin(deps, proof.value!, least, await held(deps, id)) };
  },
  judge: async ({ deps, driver, stored, prepared }, work) => {
    const { id, phc } = prepared;
    const person = stored.personId!;
    const { label } = await held(work, id, true);
    await storePin(deps, work, id, phc, false);
    await noticeTo(deps, work, person, 'pin.changed', { about: id, label });
    return {
      judgement: { type: 'renewed' },
      writes: [],
      standing: await standingOf(work, person, stored.sourceAddress, work.now),
      remembered: 'when-let-in',
      entries: [entryOf(driver, 'pin.set', { kind: 'authenticator', id }, { person })],
    };
  },
});

async function held(db: Db, id: Id, toWrite = false) {
  const row = await (toWrite ? selectOneToWrite : selectOne)<{ id: Buffer; label: string; pin_sealed: Buffer | null }>(
    db,
    `SELECT id, label, pin_sealed FROM authenticators WHERE id = :id AND state = 'active'`,
    { id: idBytes(id) },
  );
  if (!row) throw new Refusal('sign-in-moved-on');
  return row;
}
