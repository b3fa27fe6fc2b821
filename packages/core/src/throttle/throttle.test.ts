import { describe, expect, it } from 'vitest';
import { admit, CLEAR, FREE_FAILURES, pauseAfter, reserve, UNLOCK_AT, type Guard } from './index.js';

describe('throttling', () => {
  it('pauses 30 s after five failures in a row, doubling to 15 minutes', () => {
    expect([0, 4, 5, 6, 7, 8, 9, 10, 11, 99, 5000].map((n) => pauseAfter(n) / 1000)).toEqual([
      0, 0, 30, 60, 120, 240, 480, 900, 900, 900, 900,
    ]);
  });

  it('needs an unlock at 100, whatever time has passed', () => {
    let guard: Guard = CLEAR;
    let now = 0;
    let attempts = 0;
    while (admit(guard, now).admitted) {
      guard = reserve(guard, now);
      attempts += 1;
      now += 900_001;
    }
    expect(attempts).toBe(UNLOCK_AT);
    expect(admit(guard, now + 1e12)).toEqual({ admitted: false, why: 'needs-unlock' });
  });

  it('forgets what is old, for whoever it is, unless it needs an unlock', () => {
    const day = 86_400_000;
    const one = reserve(CLEAR, 0);
    expect(one).toEqual({ failures: 1, pausedUntil: 0 });
    expect(reserve(one, 90 * day).failures).toBe(2);
    expect(reserve(one, 90 * day + 1).failures).toBe(1);
    const locked = { failures: UNLOCK_AT, pausedUntil: 0 };
    expect(admit(locked, 1_000 * day)).toMatchObject({ admitted: false });
    expect(reserve({ failures: UNLOCK_AT - 1, pausedUntil: 0 }, day).failures).toBe(UNLOCK_AT);
  });

  it('turns nobody away for failures that cost no pause, though another clock counted them a moment later', () => {
    let guard: Guard = CLEAR;
    for (let counted = 1; counted < FREE_FAILURES; counted++) {
      guard = reserve(guard, 10_000);
      expect(admit(guard, 9_990), `after ${counted}`).toEqual({ admitted: true });
    }
    expect(admit(reserve(guard, 10_000), 9_990).admitted).toBe(false);
  });

  it('turns away while paused and says until when', () => {
    const guard = reserve({ failures: 4, pausedUntil: undefined }, 1_000);
    expect(admit(guard, 30_999)).toEqual({ admitted: false, why: 'throttled', until: 31_000 });
    expect(admit(guard, 31_000)).toEqual({ admitted: true });
  });
});
