import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { woven } from './woven.js';

const noted = (seconds: number, what: string) => ({ at: new Date(seconds * 1_000).toISOString(), what });
const told = (all: readonly { what: string }[]) => all.map(({ what }) => what).join(' ');

describe('what phones said between the steps of a sign-in', () => {
  it('stands where it happened, before what was noted at the same moment', () => {
    const steps = [noted(0, 'begun'), noted(1, 'asked'), noted(9, 'right'), noted(9, 'ended')];
    const phones = [noted(3, 'shown'), noted(9, 'approved')];
    expect(told(woven(steps, phones))).toBe('begun asked shown approved right ended');
    expect(told(woven(steps, []))).toBe('begun asked right ended');
    expect(told(woven(steps, [noted(20, 'late')]))).toBe('begun asked right ended late');
  });

  it('leaves the steps in their order, whatever the clocks of the nodes that took them', () => {
    // The second node is two seconds behind.
    const steps = [noted(10, 'begun'), noted(9, 'asked'), noted(12, 'right')];
    expect(told(woven(steps, [noted(11, 'shown')]))).toBe('begun asked shown right');
    const moments = fc.array(fc.integer({ min: 0, max: 30 }), { maxLength: 8 });
    fc.assert(
      fc.property(moments, moments, (own, phones) => {
        const mine = own.map((at, i) => noted(at, `step${i}`));
        const theirs = phones.sort((a, b) => a - b).map((at, i) => noted(at, `phone${i}`));
        const all = woven(mine, theirs);
        expect(all.filter(({ what }) => what.startsWith('step'))).toEqual(mine);
        expect(all.filter(({ what }) => what.startsWith('phone'))).toEqual(theirs);
      }),
    );
  });
});
