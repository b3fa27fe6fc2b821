import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  checkClockToken,
  checkCounterToken,
  type TokenStanding,
  checkHotp,
  hotp,
  LOOK_AHEAD,
  resyncHotp,
  resyncTotp,
  RESYNC_COUNTERS,
  SURE_AHEAD,
  totpStep,
} from './index.js';

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

describe('proving a fob', () => {
  const key = Buffer.from('12345678901234567890');
  const clock = { algorithm: 'SHA1', digits: 6, period: 60 } as const;
  const counter = { algorithm: 'SHA1', digits: 6 } as const;
  const now = Date.UTC(2026, 10, 23, 8, 0, 7);
  const step = Math.floor(now / 60_000);
  const shown = (at: number) => hotp(key, at, counter);
  const fresh = { last: undefined, drift: 0 };
  const prove = (codes: string[], standing: TokenStanding = fresh, window = 1) =>
    checkClockToken(key, codes, now, clock, standing, window);

  it('takes one code around the drift that its file gave, and none around another', () => {
    expect(prove([shown(step + 5)], { last: undefined, drift: 5 })).toEqual({
      outcome: 'proved',
      step: step + 5,
      drift: 5,
    });
    expect(prove([shown(step + 6)], { last: undefined, drift: 5 })).toMatchObject({ outcome: 'proved', drift: 6 });
    expect(prove([shown(step)], { last: undefined, drift: 5 })).toEqual({ outcome: 'clock-off', seconds: 0 });
    expect(prove([shown(step - 1)])).toMatchObject({ outcome: 'proved', drift: -1 });
  });

  it('learns a clock that is off by two codes, for a day each way and no further', () => {
    for (const off of [-1_300, -40, 12, 1_300]) {
      expect(prove([shown(step + off)])).toEqual({ outcome: 'clock-off', seconds: off * 60 });
      expect(prove([shown(step + off), shown(step + off + 1)])).toEqual({
        outcome: 'proved',
        step: step + off + 1,
        drift: off + 1,
      });
    }
    expect(prove([shown(step + 1_500), shown(step + 1_501)]).outcome).toBe('wrong');
    expect(prove([shown(step + 20), shown(step + 22)]).outcome).toBe('not-consecutive');
    expect(prove(['000000']).outcome).toBe('wrong');
  });

  it('never takes what was accepted before, and does not explain it either', () => {
    const standing = { last: step, drift: 0 };
    for (const codes of [[shown(step)], [shown(step - 1)], [shown(step - 30)], [shown(step - 1), shown(step)]])
      expect(prove(codes, standing).outcome).toBe('wrong');
    expect(prove([shown(step + 1)], standing).outcome).toBe('proved');
  });

  it('that counts takes one code near, and two where it was pressed in a drawer', () => {
    const press = (codes: string[], last?: number) => checkCounterToken(key, codes, counter, { last }, 10);
    expect(press([shown(0)])).toEqual({ outcome: 'proved', step: 0, drift: 0 });
    expect(press([shown(8)])).toEqual({ outcome: 'ahead', codes: 8 });
    expect(press([shown(700)])).toEqual({ outcome: 'ahead', codes: 700 });
    expect(press([shown(700), shown(701)])).toEqual({ outcome: 'proved', step: 701, drift: 0 });
    expect(press([shown(700), shown(702)]).outcome).toBe('not-consecutive');
    expect(press([shown(5)], 5).outcome).toBe('wrong');
    expect(press([shown(4), shown(5)], 5).outcome).toBe('wrong');
    expect(press([shown(5_000)]).outcome).toBe('wrong');
  });
});
