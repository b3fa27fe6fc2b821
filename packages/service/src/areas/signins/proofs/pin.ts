import { readPin } from '@nimble-latch/core/codes';
import { admit } from '@nimble-latch/core/throttle';
import type { Plan } from '../../../platform/db/unit-of-work.js';
import { idBytes, idText } from '../../../platform/ids.js';
import { guardOf } from '../../keyring/authenticator-row.js';
import type { PinChecks } from '../../keyring/pins.js';
import { usableOf } from '../../keyring/usable.js';
import { failing, forgetting, taking } from '../guards.js';
import { queueOf, type Standing } from '../lanes.js';
import { codesOf, openingOf } from './code-rows.js';
import { fromSource, turnedAway, type Judged } from './judged.js';
import { pinsAhead } from './pins-ahead.js';
import { judgedAhead, type Attempt } from './proof.js';

/**
 * A PIN answers a sign-in, after the code that it belongs to: a guess at it takes a code of its own, and counts on the same
 * authenticator.
 */
export const pin = judgedAhead<PinChecks>({
  by: 'value',
  opening: openingOf,
  prepare: async (incoming, look) => await pinsAhead(incoming, look, () => true),
  judge: async (attempt, plan) =>
    await fromSource(plan, attempt.stored, async (standing) => await judge(attempt, plan, standing)),
});

const RIGHT = forgetting('last_used_at = :now, last_used_in = :place');

async function judge(
  { driver, stored, rows, value, prepared: pins }: Attempt<PinChecks>,
  { now }: Plan,
  standing: Standing,
): Promise<Judged> {
  const { lane } = standing;
  const { signIn, applicationId, decoyId } = stored;
  const method = signIn.asks!.methods[0]!;
  const { authenticator } = signIn.pin!;
  // A sign-in that was stopped is nobody's, whoever it was of before.
  const row = decoyId ? undefined : codesOf(rows).find(({ id }) => idText(id) === authenticator);
  if (!row?.pin_sealed)
    return {
      judgement: { type: 'wrong', method, authenticator, why: 'authenticator-gone' },
      writes: [],
      standing,
    };
  const admission = admit(guardOf(row, lane), now.getTime());
  if (!admission.admitted) return turnedAway(standing, admission);
  pins.queueAs(queueOf(stored, driver));
  const typed = readPin(value);
  if (typed !== undefined && (await pins.isRight(row, typed)))
    return {
      judgement: { type: 'right', proof: usableOf(row), newPin: row.pin_given === 1 },
      writes: [taking(RIGHT, row, lane, { now, place: idBytes(applicationId) })],
      standing,
    };
  return {
    judgement: { type: 'wrong', method, authenticator, why: 'wrong-pin' },
    writes: [failing(row, lane, now)],
    standing,
  };
}
