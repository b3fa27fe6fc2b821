import { checkHotp, checkTotp, learnedDrift } from '@nimble-latch/core/codes';
import { hotpSettings, lastCounter, totpSettings } from '../../keyring/authenticator-row.js';
import type { CodeRow } from './code-rows.js';

/** What a code is for a device with a clock, or with a counter. A counter that is far ahead is found again by two codes. */
export function checked(
  secret: Uint8Array,
  code: string,
  nowMs: number,
  row: CodeRow,
  { window, lookAhead }: { readonly window: number; readonly lookAhead: number },
) {
  if (row.method === 'hotp') {
    const parameters = hotpSettings(row);
    const check = checkHotp(secret, code, { parameters, last: lastCounter(row), lookAhead });
    return check && 'counter' in check ? { outcome: check.outcome, step: check.counter, drift: 0 } : check;
  }
  const check = checkTotp(secret, code, nowMs, {
    parameters: totpSettings(row),
    drift: row.drift,
    window,
    lastStep: row.last_step ?? undefined,
  });
  return check?.outcome === 'accepted' ? { ...check, drift: learnedDrift(row.drift, check.drift) } : check;
}

/** The code right after one that was far ahead: both together rule chance out (RFC 4226 §7.4). */
export function following(secret: Uint8Array, code: string, row: CodeRow, counter: number) {
  const parameters = hotpSettings(row);
  const check = checkHotp(secret, code, { parameters, last: counter, lookAhead: 0 });
  return check?.outcome === 'accepted' ? { outcome: check.outcome, step: check.counter, drift: 0 } : undefined;
}
