import { constantTimeEqual } from '../crypto/index.js';
import { hotp, type HotpParameters } from './hotp.js';

/** Codes that somebody may have pressed for nothing, and are still accepted; RFC 4226 §7.4, the look-ahead window. */
export const LOOK_AHEAD = 10;
/** Of these, how far ahead one code alone is believed. Further on a second one, the next, is asked for. */
export const SURE_AHEAD = 3;
/** Counters before the last accepted one in which a code is recognised as used. */
const LOOK_BACK = 10;

export interface HotpCheck {
  readonly parameters: HotpParameters;
  /** The counter of the last code that was accepted; -1 for none. */
  readonly last: number;
  /** RFC 4226 §7.4: how many counters after the expected one are tried. */
  readonly lookAhead: number;
}

/**
 * Which counter a code belongs to.
 *
 * Every counter of the window is computed and compared in constant time, found or not, so that timing says nothing about
 * how far a token has run ahead. Counters before it are looked at only for a code that is refused anyway.
 *
 * @returns the accepted counter; `far` when it is right but so far ahead that chance is to be ruled out by the next code
 *   (RFC 4226 §7.4, resynchronisation with a sequence of values); `used` when it was accepted before; undefined otherwise
 */
export function checkHotp(
  key: Uint8Array,
  code: string,
  { parameters, last, lookAhead }: HotpCheck,
): { outcome: 'accepted' | 'far'; counter: number } | { outcome: 'used' } | undefined {
  const given = Buffer.from(code);
  const matches = (counter: number) => constantTimeEqual(Buffer.from(hotp(key, counter, parameters)), given);
  let found: number | undefined;
  for (let counter = last + 1; counter <= last + 1 + lookAhead; counter++) if (matches(counter)) found ??= counter;
  if (found === undefined) {
    let used = false;
    for (let counter = Math.max(0, last + 1 - LOOK_BACK); counter <= last; counter++) used = matches(counter) || used;
    return used ? { outcome: 'used' } : undefined;
  }
  return { outcome: found - (last + 1) <= SURE_AHEAD ? 'accepted' : 'far', counter: found };
}
