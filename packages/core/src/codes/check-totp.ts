import { constantTimeEqual } from '../crypto/index.js';
import { hotp } from './hotp.js';
import { totpStep, type TotpParameters } from './totp.js';

export interface TotpCheck {
  readonly parameters: TotpParameters;
  /** Steps by which this token's clock was last seen ahead (positive) or behind. */
  readonly drift: number;
  /** How many steps around the drift are tried on each side, RFC 6238 §5.2 and §6. */
  readonly window: number;
  /** The last step that was accepted, or undefined: none at or before it is accepted again (RFC 6238 §5.2). */
  readonly lastStep: number | undefined;
}

/**
 * Which time step a code belongs to.
 *
 * Every step of the window is computed and compared in constant time, found or not, so that timing says nothing
 * about how far a token drifts.
 *
 * @returns the accepted step with the drift it shows; `used` when the code is right but its step, or a later one,
 *   was accepted before; undefined when it is right nowhere in the window
 */
export function checkTotp(
  key: Uint8Array,
  code: string,
  nowMs: number,
  { parameters, drift, window, lastStep }: TotpCheck,
): { outcome: 'accepted'; step: number; drift: number } | { outcome: 'used' } | undefined {
  const now = totpStep(nowMs, parameters);
  const given = Buffer.from(code);
  let accepted: number | undefined;
  let used = false;
  for (let step = now + drift - window; step <= now + drift + window; step++) {
    if (step < 0) continue;
    const matches = constantTimeEqual(Buffer.from(hotp(key, step, parameters)), given);
    if (!matches) continue;
    if (lastStep !== undefined && step <= lastStep) used = true;
    else accepted ??= step;
  }
  if (accepted !== undefined) return { outcome: 'accepted', step: accepted, drift: accepted - now };
  return used ? { outcome: 'used' } : undefined;
}
