import { constantTimeEqual } from '../crypto/index.js';
import { hotp } from './hotp.js';
import { totpStep, type TotpParameters } from './totp.js';

/** How a device's first codes looked. */
export type EnrolmentCheck =
  | { readonly outcome: 'proved'; readonly step: number; readonly drift: number }
  /** Right for another time: the device's clock is ahead by so many seconds (negative: behind). */
  | { readonly outcome: 'clock-off'; readonly seconds: number }
  /** Two codes were given that are each right, but not one after the other. */
  | { readonly outcome: 'not-consecutive' }
  | { readonly outcome: 'wrong' };

/** How far a clock is searched for, each way: a wrong time zone set as local time is at most 14 hours off. */
const SEARCH_SECONDS = 15 * 3600;

/**
 * Proves a new TOTP authenticator by its first code, or by two consecutive ones.
 *
 * The wide search only ever explains a refusal; it never accepts. It is meant for enrolling and resynchronising:
 * at a sign-in the same help would serve a guesser.
 *
 * @param codes one code, or two in the order shown
 * @param window steps accepted on each side of now
 */
export function checkEnrolment(
  key: Uint8Array,
  codes: readonly string[],
  nowMs: number,
  parameters: TotpParameters,
  window: number,
): EnrolmentCheck {
  const now = totpStep(nowMs, parameters);
  const reach = Math.ceil(SEARCH_SECONDS / parameters.period);
  const given = codes.map((code) => Buffer.from(code));
  // Nearly always the clock is right; the wide search, thousands of codes, is for telling what is wrong with one that is not.
  for (let step = Math.max(0, now - window); step <= now + window; step++) {
    const first = step - (given.length - 1);
    if (
      given.every((code, i) => first + i >= 0 && constantTimeEqual(Buffer.from(hotp(key, first + i, parameters)), code))
    )
      return { outcome: 'proved', step, drift: step - now };
  }
  const first: number[] = [];
  let loose = false;
  for (let step = Math.max(0, now - reach); step <= now + reach; step++) {
    const expected = Buffer.from(hotp(key, step, parameters));
    if (!constantTimeEqual(expected, given[0]!)) {
      loose ||= given.length > 1 && constantTimeEqual(expected, given[1]!);
      continue;
    }
    const second = given[1];
    if (second && !constantTimeEqual(Buffer.from(hotp(key, step + 1, parameters)), second)) {
      loose = true;
      continue;
    }
    first.push(step);
  }
  // With several hits (a chance match far away), the one nearest to now is the device's.
  const nearest = first.sort((a, b) => Math.abs(a - now) - Math.abs(b - now))[0];
  if (nearest === undefined) return loose && given.length > 1 ? { outcome: 'not-consecutive' } : { outcome: 'wrong' };
  const step = nearest + (given.length - 1);
  return { outcome: 'clock-off', seconds: (step - now) * parameters.period };
}
