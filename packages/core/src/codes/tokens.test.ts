import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkHotp, hotp, LOOK_AHEAD, resyncHotp, resyncTotp, RESYNC_COUNTERS, SURE_AHEAD, totpStep } from './index.js';

/** RFC 4226 appendix D. */
const KEY = Buffer.from('12345678901234567890');
const parameters = { algorithm: 'SHA1', digits: 6 } as const;
const code = (counter: number) => hotp(KEY, counter, parameters);
const check = (typed: string, last: number) => checkHotp(KEY, typed, { parameters, last, lookAhead: LOOK_AHEAD });

describe('a counter', () => {
  it('takes each code of the look-ahead window once, asks for the next one far out, and never goes back', () => {
    expect(check('755224', -1)).toEqual({ outcome: 'accepted', counter: 0 });
    expect(check('287082', -1)).toEqual({ outcome: 'accepted', counter: 1 });
    expect(check('755224', 0)).toEqual({ outcome: 'used' });
    expect(check('520489', -1)).toEqual({ outcome: 'far', counter: 9 });
    expect(check(code(11), -1)).toBeUndefined();
    fc.assert(
      fc.property(fc.integer({ min: -1, max: 5_000 }), fc.integer({ min: -30, max: 40 }), (last, ahead) => {
        const counter = last + 1 + ahead;
        if (counter < 0) return;
        const found = check(code(counter), last);
        // A code may be that of another counter too, one time in tens of thousands: then nearer is what counts.
        if (ahead >= 0 && ahead <= SURE_AHEAD) expect(found).toMatchObject({ outcome: 'accepted' });
        else if (ahead > SURE_AHEAD && ahead <= LOOK_AHEAD) expect(found?.outcome).not.toBe('used');
        if (found && 'counter' in found) expect(found.counter).toBeGreaterThan(last);
      }),
    );
  });

  it('that ran far ahead is found by two consecutive codes, and by no two others', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -1, max: 3_000 }),
        fc.integer({ min: 1, max: RESYNC_COUNTERS - 1 }),
        (last, ahead) => {
          const at = last + ahead;
          expect(resyncHotp(KEY, [code(at), code(at + 1)], parameters, last)).toEqual({
            outcome: 'found',
            step: at + 1,
            drift: 0,
          });
        },
      ),
      { numRuns: 8 },
    );
    expect(resyncHotp(KEY, [code(40), code(42)], parameters, -1)).toEqual({ outcome: 'not-consecutive' });
    expect(resyncHotp(KEY, [code(5), code(6)], parameters, 20)).toEqual({ outcome: 'used' });
    expect(resyncHotp(KEY, ['000000', '000001'], parameters, -1)).toEqual({ outcome: 'wrong' });
  }, 60_000);
});

describe('a clock', () => {
  it('of any T0 and period is found within a day, in a step that was not used', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 15, max: 120 }),
        fc.integer({ min: 0, max: 1_000_000 }),
        fc.integer({ min: -23 * 3_600, max: 23 * 3_600 }),
        (period, t0, off) => {
          const clock = { ...parameters, period, t0 };
          const nowMs = Date.UTC(2026, 10, 27, 19);
          const at = totpStep(nowMs + off * 1000, clock);
          const codes = [hotp(KEY, at, parameters), hotp(KEY, at + 1, parameters)] as const;
          const drift = at + 1 - totpStep(nowMs, clock);
          expect(resyncTotp(KEY, codes, clock, nowMs, undefined)).toEqual({ outcome: 'found', step: at + 1, drift });
          expect(resyncTotp(KEY, codes, clock, nowMs, at + 1)).toEqual({ outcome: 'used' });
        },
      ),
      { numRuns: 6 },
    );
  }, 60_000);
});
