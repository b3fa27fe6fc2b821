import { constantTimeEqual } from '../crypto/index.js';
import { checkHotp } from './check-hotp.js';
import { checkTotp } from './check-totp.js';
import { hotp, type HotpParameters } from './hotp.js';
import { RESYNC_COUNTERS, RESYNC_SECONDS, resyncHotp, resyncTotp, type Resync } from './resync.js';
import { totpStep, type TotpParameters } from './totp.js';

/** How a hardware token looks by the codes that it shows. */
export type TokenCheck =
  | { readonly outcome: 'proved'; readonly step: number; readonly drift: number }
  /** Right for another time: its clock is ahead by so many seconds (negative: behind). Two codes prove it. */
  | { readonly outcome: 'clock-off'; readonly seconds: number }
  /** Right, but so many codes on that chance has to be ruled out. Two codes prove it. */
  | { readonly outcome: 'ahead'; readonly codes: number }
  | { readonly outcome: 'not-consecutive' }
  | { readonly outcome: 'wrong' };

/** Where a token is believed to stand. */
export interface TokenStanding {
  /** The last step or counter that was accepted; undefined for none. */
  readonly last: number | undefined;
  /** Steps by which its clock is ahead, as its file said or its last holder's proofs have shown. */
  readonly drift: number;
}

const foundBy = (found: Resync): TokenCheck => {
  if (found.outcome === 'found') return { outcome: 'proved', step: found.step, drift: found.drift };
  return { outcome: found.outcome === 'not-consecutive' ? 'not-consecutive' : 'wrong' };
};

/** Steps or counters at which a code is right, the nearest to where it was looked for first. Only ever explains a refusal. */
function rightAt(key: Uint8Array, code: string, parameters: HotpParameters, from: number, to: number, near: number) {
  const given = Buffer.from(code);
  const found: number[] = [];
  for (let at = Math.max(0, from); at <= to; at++)
    if (constantTimeEqual(Buffer.from(hotp(key, at, parameters)), given)) found.push(at);
  return found.sort((a, b) => Math.abs(a - near) - Math.abs(b - near))[0];
}

/**
 * Proves a token with a clock: by one code within the window around the drift that it is known to have, or by two consecutive
 * ones within a day (RFC 6238 §6). Nobody can set the clock of a fob: one that is off is learned by two codes.
 *
 * @param codes one code, or two in the order shown
 * @param window steps accepted on each side of the drift
 */
export function checkClockToken(
  key: Uint8Array,
  codes: readonly string[],
  nowMs: number,
  parameters: TotpParameters,
  { last, drift }: TokenStanding,
  window: number,
): TokenCheck {
  if (codes.length === 2) return foundBy(resyncTotp(key, [codes[0]!, codes[1]!], parameters, nowMs, last));
  const check = checkTotp(key, codes[0]!, nowMs, { parameters, drift, window, lastStep: last });
  if (check?.outcome === 'accepted') return { outcome: 'proved', step: check.step, drift: check.drift };
  if (check) return { outcome: 'wrong' };
  const now = totpStep(nowMs, parameters);
  const reach = Math.ceil(RESYNC_SECONDS / parameters.period);
  const at = rightAt(key, codes[0]!, parameters, now - reach, now + reach, now + drift);
  // What was accepted before is no sign of a clock.
  if (at === undefined || (last !== undefined && at <= last)) return { outcome: 'wrong' };
  return { outcome: 'clock-off', seconds: (at - now) * parameters.period };
}

/**
 * Proves a token that counts: by one code close to where it should stand, or by two consecutive ones where it was pressed in
 * a drawer (RFC 4226 §7.4).
 *
 * @param lookAhead counters after the expected one in which one code is looked for
 */
export function checkCounterToken(
  key: Uint8Array,
  codes: readonly string[],
  parameters: HotpParameters,
  { last = -1 }: Pick<TokenStanding, 'last'>,
  lookAhead: number,
): TokenCheck {
  if (codes.length === 2) return foundBy(resyncHotp(key, [codes[0]!, codes[1]!], parameters, last));
  const check = checkHotp(key, codes[0]!, { parameters, last, lookAhead });
  if (check?.outcome === 'accepted') return { outcome: 'proved', step: check.counter, drift: 0 };
  if (check?.outcome === 'used') return { outcome: 'wrong' };
  const at =
    check?.outcome === 'far'
      ? check.counter
      : rightAt(key, codes[0]!, parameters, last + 1, last + 1 + RESYNC_COUNTERS, last + 1);
  return at === undefined ? { outcome: 'wrong' } : { outcome: 'ahead', codes: at - last - 1 };
}
