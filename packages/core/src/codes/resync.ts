import { constantTimeEqual } from '../crypto/index.js';
import { hotp } from './hotp.js';
import { totpStep, type TotpParameters } from './totp.js';
import type { HotpParameters } from './hotp.js';

/** Counters after the last accepted one that are searched for two consecutive codes. */
export const RESYNC_COUNTERS = 2_000;
/** Counters before it in which codes are recognised as used. */
const LOOK_BACK = 50;
/** How far a clock is searched for, each way: a day. */
export const RESYNC_SECONDS = 24 * 3_600;

/** What two consecutive codes say of a device. */
export type Resync =
  /** Where it is: the step or counter of the second code, and by how many steps its clock is ahead. */
  | { readonly outcome: 'found'; readonly step: number; readonly drift: number }
  /** Both were right before: a device that is shown to the service goes on, never back. */
  | { readonly outcome: 'used' }
  /** Each is right somewhere, but not one after the other. */
  | { readonly outcome: 'not-consecutive' }
  | { readonly outcome: 'wrong' };

/** The first place in a range at which two codes follow one another; whether the first is right at all. */
function search(
  key: Uint8Array,
  codes: readonly [string, string],
  parameters: HotpParameters,
  from: number,
  to: number,
) {
  const [first, second] = codes.map((code) => Buffer.from(code)) as [Buffer, Buffer];
  const found: number[] = [];
  let loose = false;
  let before = Buffer.from(hotp(key, from, parameters));
  for (let at = from; at < to; at++) {
    const after = Buffer.from(hotp(key, at + 1, parameters));
    const [one, two] = [constantTimeEqual(before, first), constantTimeEqual(after, second)];
    if (one && two) found.push(at + 1);
    loose ||= one || two;
    before = after;
  }
  return { found, loose };
}

/**
 * Finds a counter-based device again by two consecutive codes, over a window much wider than any sign-in has (RFC 4226
 * §7.4 and appendix E.4). The window of sign-ins stays as it is.
 *
 * @param last the counter of the last code that was accepted; -1 for none
 */
export function resyncHotp(
  key: Uint8Array,
  codes: readonly [string, string],
  parameters: HotpParameters,
  last: number,
): Resync {
  const back = Math.max(0, last - LOOK_BACK);
  const { found, loose } = search(key, codes, parameters, back, last + 1 + RESYNC_COUNTERS);
  const ahead = found.find((counter) => counter - 1 > last);
  if (ahead !== undefined) return { outcome: 'found', step: ahead, drift: 0 };
  if (found.length > 0) return { outcome: 'used' };
  return { outcome: loose ? 'not-consecutive' : 'wrong' };
}

/**
 * Finds a time-based device again by two consecutive codes, within a day of its clock (RFC 6238 §6). The drift that it
 * shows is noted, and sign-ins go on around it with their own window.
 *
 * @param lastStep the last step that was accepted; undefined for none
 */
export function resyncTotp(
  key: Uint8Array,
  codes: readonly [string, string],
  parameters: TotpParameters,
  nowMs: number,
  lastStep: number | undefined,
): Resync {
  const now = totpStep(nowMs, parameters);
  const reach = Math.ceil(RESYNC_SECONDS / parameters.period);
  const { found, loose } = search(key, codes, parameters, Math.max(0, now - reach), now + reach);
  const fresh = found
    .filter((step) => lastStep === undefined || step > lastStep)
    .sort((a, b) => Math.abs(a - now) - Math.abs(b - now))[0];
  if (fresh !== undefined) return { outcome: 'found', step: fresh, drift: fresh - now };
  if (found.length > 0) return { outcome: 'used' };
  return { outcome: loose ? 'not-consecutive' : 'wrong' };
}
