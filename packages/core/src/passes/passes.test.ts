import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { PASS_BOUNDS, PASS_STATES, ROLES } from '../vocabulary.js';
import { beyondBounds, PASS_ROLES, passBoundsOf, passState, purposesOfPass } from './index.js';

const HOUR = 3_600_000;
const bounds = fc.record({
  hours: fc.integer({ min: 1, max: 100 }),
  uses: fc.integer({ min: 1, max: 20 }),
  open: fc.integer({ min: 1, max: 20 }),
  perDay: fc.integer({ min: 1, max: 20 }),
});

describe('the bounds of passes', () => {
  it('are said of every role that may give them, and of no other', () => {
    expect(PASS_ROLES).toEqual(['owner', 'custodian', 'help-desk']);
    const some = { hours: 1, uses: 1, open: 1, perDay: 1 };
    const all = Object.fromEntries(ROLES.map((role) => [role, some]));
    for (const role of ROLES)
      expect(passBoundsOf(all, [role]), role).toEqual(PASS_ROLES.includes(role) ? some : undefined);
    expect(passBoundsOf({}, PASS_ROLES)).toBeUndefined();
  });

  it('of several roles are the widest of each', () => {
    fc.assert(
      fc.property(bounds, bounds, (desk, custodian) => {
        const both = passBoundsOf({ 'help-desk': desk, custodian }, ['help-desk', 'auditor', 'custodian'])!;
        for (const bound of PASS_BOUNDS) expect(both[bound]).toBe(Math.max(desk[bound], custodian[bound]));
        expect(passBoundsOf({ 'help-desk': desk, custodian }, ['help-desk'])).toEqual(desk);
      }),
    );
  });

  it('hold to the last hour, use and pass, and not one beyond', () => {
    fc.assert(
      fc.property(bounds, fc.integer({ min: 0, max: 10 ** 12 }), (most, fromMs) => {
        const last = { fromMs, untilMs: fromMs + most.hours * HOUR, uses: most.uses };
        const given = { open: most.open - 1, today: most.perDay - 1 };
        expect(beyondBounds(most, last, given)).toBeUndefined();
        expect(beyondBounds(most, { ...last, untilMs: last.untilMs + 1 }, given)).toBe('hours');
        expect(beyondBounds(most, { ...last, uses: most.uses + 1 }, given)).toBe('uses');
        expect(beyondBounds(most, last, { ...given, open: most.open })).toBe('open');
        expect(beyondBounds(most, last, { ...given, today: most.perDay })).toBe('perDay');
      }),
    );
  });
});

describe('a pass', () => {
  it('waits, is open, ends, in this order, whatever else is done to it', () => {
    const [fromMs, untilMs] = [1000, 2000];
    const at = (nowMs: number) => passState('active', { fromMs, untilMs }, nowMs);
    expect([999, 1000, 1999, 2000].map(at)).toEqual(['waiting', 'open', 'open', 'ended']);
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 3000 }), fc.constantFrom('active', 'suspended', 'ended'), (now, state) => {
        const stands = passState(state, { fromMs, untilMs }, now);
        expect(PASS_STATES).toContain(stands);
        if (stands === 'open') expect(state === 'active' && now >= fromMs && now < untilMs).toBe(true);
        if (state === 'ended') expect(stands).toBe('ended');
      }),
    );
  });

  it('is good for what was said, and never for setting a password anew', () => {
    expect(purposesOfPass('sign-in')).toEqual(['sign-in']);
    expect(purposesOfPass('enrol')).toEqual(['enrol']);
    expect(purposesOfPass('both')).toEqual(['sign-in', 'enrol']);
  });
});
