import fc from 'fast-check';
import { expect, it } from 'vitest';
import { GrownCounts } from './grown-counts.js';

const block = fc.dictionary(
  fc.constantFrom('ann', 'bo', 'cy', 'dee', 'eva', '__proto__'),
  fc.integer({ min: 1, max: 3 }),
);

it('counts come to their sums, and every state before stays as it was', () => {
  fc.assert(
    fc.property(fc.array(block, { maxLength: 40 }), (blocks) => {
      const states = [new GrownCounts()];
      const sums: Map<string, number>[] = [new Map()];
      for (const one of blocks) {
        const more = new Map(Object.entries(one));
        states.push(states.at(-1)!.with(more));
        const next = new Map(sums.at(-1));
        for (const [name, count] of more) next.set(name, (next.get(name) ?? 0) + count);
        sums.push(next);
      }
      // Looked at when all are made: a layer that was shared and changed would show in an earlier one.
      states.forEach((state, i) => {
        for (const name of ['ann', 'bo', 'cy', 'dee', 'eva', '__proto__', 'nobody'])
          expect(state.of(name)).toBe(sums[i]!.get(name) ?? 0);
      });
    }),
  );
});
