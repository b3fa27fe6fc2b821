import fc from 'fast-check';
import { expect, it } from 'vitest';
import { SIGNALS } from '../vocabulary.js';
import { riskOf, signalsOf, type Observed, type Weights } from './index.js';

const AT = Date.parse('2026-11-23T12:00:00Z');
const calm: Observed = {
  at: AT,
  familiar: true,
  hasPast: true,
  browser: undefined,
  wrongLately: 0,
  last: { at: AT - 3_600_000, country: 'GB', city: 'Wexmoor' },
  here: { country: 'GB', city: 'Wexmoor' },
  hours: Array.from({ length: 30 }, () => 12),
  hour: 12,
  anonymising: undefined,
  claimed: undefined,
};
const seen = (change: Partial<Observed>) => signalsOf({ ...calm, ...change }).map(({ signal }) => signal);

it.each<[Partial<Observed>, string[]]>([
  [{}, []],
  [{ familiar: false }, ['new-network']],
  [{ familiar: undefined, browser: 'new' }, ['new-browser']],
  [{ familiar: false, browser: 'new', hasPast: false }, []],
  [{ wrongLately: 2 }, []],
  [{ wrongLately: 3 }, ['failures-before']],
  [{ here: { country: 'FR', city: null } }, ['too-far']],
  [{ here: { country: 'FR', city: null }, last: { at: AT - 4 * 3_600_000, country: 'GB', city: null } }, []],
  [{ here: { country: 'GB', city: 'Aske' } }, []],
  [{ here: { country: 'GB', city: 'Aske' }, last: { at: AT - 60_000, country: 'GB', city: 'Wexmoor' } }, ['too-far']],
  [{ here: { country: null, city: null } }, []],
  [{ hour: 3 }, ['odd-hour']],
  [{ hour: 14 }, []],
  [{ hour: 1, hours: Array.from({ length: 30 }, () => 23) }, []],
  [{ hour: 3, hours: [12, 12, 12] }, []],
  [{ anonymising: 'exits' }, ['anonymising-network']],
  [{ claimed: 0 }, []],
  [{ claimed: 0.5 }, ['application']],
])('%o is %o', (change, signals) => expect(seen(change)).toEqual(signals));

it('is never more than 1 nor less with one signal more, and counts what an application says by its weight', () => {
  const weights = fc.record(
    Object.fromEntries(SIGNALS.map((signal) => [signal, fc.double({ min: 0, max: 1, noNaN: true })])),
  ) as fc.Arbitrary<Weights>;
  const signals = fc.subarray([...SIGNALS]).map((all) => all.map((signal) => ({ signal, facts: { risk: 0.5 } })));
  fc.assert(
    fc.property(weights, signals, (weighed, all) => {
      const risk = riskOf(all, weighed);
      expect(risk).toBeGreaterThanOrEqual(0);
      expect(risk).toBeLessThanOrEqual(1);
      expect(risk).toBeGreaterThanOrEqual(riskOf(all.slice(1), weighed));
    }),
  );
  const half = Object.fromEntries(SIGNALS.map((signal) => [signal, 0.5])) as unknown as Weights;
  expect(riskOf([{ signal: 'application', facts: { risk: 0.5 } }], half)).toBe(0.25);
  expect(
    riskOf(
      [
        { signal: 'odd-hour', facts: {} },
        { signal: 'too-far', facts: {} },
      ],
      half,
    ),
  ).toBe(0.75);
});
