import type { Answer } from '@nimble-latch/api';
import { checkEnrolment } from '@nimble-latch/core/codes';
import type { Id } from '@nimble-latch/core/vocabulary';
import { activate, lockPending } from '../keyring/activate.js';
import { authenticators } from '../keyring/authenticator.model.js';
import { totpSettings } from '../keyring/authenticator-row.js';
import { makeTotp } from '../keyring/begin-totp.js';
import { changeLocked } from '../keyring/change-authenticator.js';
import type { Maker } from '../keyring/enrolling.js';
import { offeredTo, parametersOf } from '../methods/offer.js';
import { selectOneToWrite, write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { wiped } from '../../platform/secrets/wiped.js';

/**
 * Codes for when a phone has no network: a key for time-based ones that is made when the phone is set up, on the same carrier, where the
 * method settings want it. It is proved by the phone's first answer, and comes into use together with it.
 */

/** Makes the key, and tells it this once; null where the settings do not want it, or codes may not be enrolled. */
export async function makeCodes(
  deps: Deps,
  work: Work,
  maker: Maker,
  { person, device }: { readonly person: Id; readonly device: Id },
): Promise<Answer<'phones.enrol'>['codes']> {
  if ((await parametersOf(deps, work, person, 'push')).codes !== 'made') return null;
  if (!(await offeredTo(deps, work, person, 'totp')).enrol) return null;
  const phone = await selectOneToWrite<{ carrier_id: Buffer; label: string }>(
    work,
    'SELECT carrier_id, label FROM authenticators WHERE id = :id',
    { id: idBytes(device) },
  );
  const carrier = { id: idText(phone!.carrier_id) };
  const made = await makeTotp(deps, work, maker, person, { label: phone!.label, carrier }, () => Promise.resolve());
  await write(work, 'UPDATE push_devices SET codes_id = :codes WHERE authenticator_id = :id', {
    id: idBytes(device),
    codes: idBytes(made.authenticator.id),
  });
  return { keyUri: made.keyUri, codesNeeded: made.codesNeeded };
}

/** What was made with a phone and waits for it; undefined where nothing was, or somebody has ended it since. */
const codesOf = async (work: Work, device: Buffer): Promise<{ codes_id: Buffer; codes_proved: number } | undefined> =>
  await selectOneToWrite(
    work,
    "SELECT d.codes_id, d.codes_proved FROM push_devices d JOIN authenticators t ON t.id = d.codes_id AND t.state = 'pending' WHERE d.authenticator_id = :id",
    { id: device },
  );

/** Whether the phone has shown by its first answer that it computes the right codes; null where none were made for it. */
export async function proveCodes(
  deps: Deps,
  work: Work,
  device: Buffer,
  codes: readonly string[],
): Promise<boolean | null> {
  const made = await codesOf(work, device);
  if (!made) return null;
  const row = await lockPending(work, idText(made.codes_id), 'totp');
  const id = idText(row.id);
  const [{ settings }, parameters] = await Promise.all([
    deps.settings.current(),
    parametersOf(deps, work, idText(row.person_id), 'totp'),
  ]);
  if (codes.length < (parameters.codesToProve ?? settings.totp.codesToProve)) return false;
  const secret = await deps.keys.opening((keys) => keys.open('seed', `authenticator/${id}/secret`, row.secret_sealed!));
  const check = wiped(secret, (seed) =>
    checkEnrolment(seed, codes, work.now.getTime(), totpSettings(row), parameters.window ?? settings.totp.window),
  );
  if (check.outcome !== 'proved') return false;
  await authenticators(work).update(
    { lastStep: check.step, drift: check.drift },
    { where: { id }, transaction: work.transaction },
  );
  await write(work, 'UPDATE push_devices SET codes_proved = 1 WHERE authenticator_id = :id', { id: device });
  return true;
}

/** The phone comes into use: so do its codes, where it has proved them and they may still be enrolled; otherwise they end here. */
export async function settleCodes(deps: Deps, work: Work, maker: Maker, device: Buffer): Promise<Id | undefined> {
  const made = await codesOf(work, device);
  if (!made) return undefined;
  const row = await lockPending(work, idText(made.codes_id), 'totp');
  await write(work, 'UPDATE push_devices SET codes_id = NULL WHERE authenticator_id = :id', { id: device });
  const offered = (await offeredTo(deps, work, idText(row.person_id), 'totp')).enrol;
  if (Number(made.codes_proved) !== 1 || !offered) {
    await changeLocked(deps, work, maker, 'authenticators.revoke', row);
    return undefined;
  }
  await activate(deps, work, maker, row);
  return idText(row.id);
}
