import { hasPin, readPin, readPinAndCode } from '@nimble-latch/core/codes';
import { admit } from '@nimble-latch/core/throttle';
import { idText } from '../../../platform/ids.js';
import { guardOf, hotpSettings } from '../../keyring/authenticator-row.js';
import { PinChecks } from '../../keyring/pins.js';
import { queueOf, standingOf } from '../lanes.js';
import { codesOf } from './code-rows.js';
import type { Incoming, Opened } from './proof.js';

/**
 * What was typed holds a PIN, or may: it is hashed before the step, which may hold locks, and is at hand when the step asks. Only for
 * whoever may try at all, as in the step.
 *
 * @param may whether there is anything to hash in what was typed
 */
export async function pinsAhead(
  { deps, driver, proof }: Incoming,
  look: () => Promise<Opened | undefined>,
  may: (typed: string) => boolean,
): Promise<PinChecks> {
  const pins = new PinChecks(deps);
  const typed = proof.value!;
  const opened = may(typed) ? await look() : undefined;
  if (!opened) return pins;
  const { stored, rows } = opened;
  const { signIn, personId, decoyId, sourceAddress } = stored;
  pins.queueAs(queueOf(stored, driver));
  const now = deps.now();
  const { lane, spentUntil } = await standingOf(deps, personId, sourceAddress, now);
  if (spentUntil !== undefined) return pins;
  const asked = signIn.asks?.kind === 'text' ? signIn.pin?.authenticator : undefined;
  const checks = (decoyId ? [] : codesOf(rows)).flatMap((row) => {
    if (row.pin_sealed === null || !admit(guardOf(row, lane), now.getTime()).admitted) return [];
    const pin =
      asked === undefined
        ? readPinAndCode(typed, hotpSettings(row).digits)?.pin
        : asked === idText(row.id)
          ? readPin(typed)
          : undefined;
    return pin === undefined ? [] : [pins.isRight(row, pin)];
  });
  await Promise.all(checks.length > 0 ? checks : hasPin(typed) ? [pins.pretend(typed)] : []);
  return pins;
}
