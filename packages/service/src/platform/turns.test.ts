import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Turns } from './turns.js';

describe('turns', () => {
  it('are taken in order by what is about the same, at once by what is not, and leave nothing behind, whatever fails', async () => {
    const job = fc.record({ about: fc.constantFrom('a', 'b', 'c'), steps: fc.nat(4), fails: fc.boolean() });
    await fc.assert(
      fc.asyncProperty(fc.array(job, { maxLength: 20 }), async (jobs) => {
        const turns = new Turns();
        const begun: number[] = [];
        const working = new Map<string, number>();
        const outcomes = await Promise.allSettled(
          jobs.map(
            async ({ about, steps, fails }, i) =>
              await turns.take(about, async () => {
                expect(working.get(about)).toBeUndefined();
                working.set(about, i);
                begun.push(i);
                for (let step = 0; step < steps; step++) await Promise.resolve();
                working.delete(about);
                if (fails) throw new Error(String(i));
                return i;
              }),
          ),
        );
        for (const [i, outcome] of outcomes.entries())
          expect(outcome).toMatchObject(
            jobs[i]!.fails ? { status: 'rejected', reason: { message: String(i) } } : { status: 'fulfilled', value: i },
          );
        for (const about of ['a', 'b', 'c']) {
          const its = begun.filter((i) => jobs[i]!.about === about);
          expect(its).toEqual([...its].sort((a, b) => a - b));
        }
        // The first of each begins at once.
        const firsts = ['a', 'b', 'c']
          .flatMap((about) => jobs.findIndex((one) => one.about === about))
          .filter((i) => i >= 0);
        expect(begun.slice(0, firsts.length).sort()).toEqual(firsts.sort());
        expect(turns.size).toBe(0);
      }),
    );
  });
});
