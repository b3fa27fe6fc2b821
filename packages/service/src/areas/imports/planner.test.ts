import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { carryOut, insertion } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { idBytes, newId } from '../../platform/ids.js';
import { insertPerson } from '../people/add-person.js';
import { readLoginName } from '../people/login-names.js';
import { KINDS } from './kinds.js';
import type { Import } from './store.js';
import type { Planned } from './planner.js';

let inside: Inside;
const NAMES = ['east', 'west', 'north', 'pier', 'quay'];
beforeAll(async () => {
  inside = await openInside();
  const { deps } = inside;
  for (const name of ['east', 'pier'])
    await carryOut(
      deps,
      insertion('person_groups', { id: idBytes(newId(deps)), name, description: '', createdAt: deps.now() }),
    );
  for (const name of ['ann.a', 'bo.b'])
    await inTransaction(deps, async (work) =>
      insertPerson(deps, work, {
        displayName: name,
        loginNames: [readLoginName(name, 'test')],
        mail: null,
        phone: null,
        language: 'en',
        timeZone: 'UTC',
        source: 'hand',
      }),
    );
});
afterAll(async () => await inside.close());

/** An import, as far as planning goes by it. */
const importOf = (meanings: readonly string[]) =>
  ({
    columns: meanings.map((meaning) => ({ name: meaning, meaning })),
    newGroups: [],
    byOwners: true,
    mapping: null,
    rules: { country: null, empty: 'keep' },
  }) as unknown as Import;

interface Sample {
  readonly kind: 'groups' | 'people';
  readonly columns: readonly string[];
  readonly rows: fc.Arbitrary<readonly string[][]>;
}
const SAMPLES: readonly Sample[] = [
  {
    kind: 'groups',
    columns: ['group', 'part-of', 'description', 'member'],
    rows: fc.array(
      fc.tuple(
        fc.constantFrom(...NAMES),
        fc.constantFrom('', '', ...NAMES),
        fc.constantFrom('', 'a berth'),
        fc.constantFrom('', 'ann.a', 'bo.b', 'ann.a bo.b', 'nobody.c'),
      ),
      { minLength: 1, maxLength: 12 },
    ),
  },
  {
    kind: 'people',
    columns: ['name', 'login-name', 'mail', 'groups'],
    rows: fc.array(
      fc.tuple(
        fc.constantFrom('', 'Ann', 'Bo Berth'),
        fc.constantFrom('', 'ann.a', 'bo.b', 'cy.c', 'dee.d'),
        fc.constantFrom('', 'no address', 'cy@wexmoor.example'),
        fc.constantFrom('', 'east', 'EAST;quay', 'north'),
      ),
      { minLength: 1, maxLength: 12 },
    ),
  },
];

/** What all rows come to, in blocks of so many, each planned as often as said. */
async function planned(
  { kind, columns }: Sample,
  cells: readonly (readonly string[])[],
  size: number,
  times: number,
): Promise<Planned[]> {
  const planner = KINDS[kind].planner(inside.deps, importOf(columns));
  let state = planner.initial;
  const all: Planned[] = [];
  for (let first = 0; first < cells.length; first += size) {
    const block = {
      first: first + 1,
      rows: cells.slice(first, first + size).map((row, i) => ({ line: first + i + 2, cells: [...row] })),
    };
    for (let time = 1; time < times; time++) await planner.plan(inside.deps, state, block, true);
    const { rows: some, nextState } = await planner.plan(inside.deps, state, block, true);
    all.push(...some);
    state = nextState;
  }
  return all;
}

describe.each(SAMPLES)('planning a block of a file of $kind', (sample) => {
  it('again comes to what it came to the first time, whatever the size of the blocks', async () => {
    await fc.assert(
      fc.asyncProperty(
        sample.rows,
        fc.integer({ min: 1, max: 6 }),
        fc.integer({ min: 2, max: 3 }),
        async (cells, size, times) => {
          const once = await planned(sample, cells, size, 1);
          expect(await planned(sample, cells, size, times)).toEqual(once);
          expect((await planned(sample, cells, cells.length, 1)).map(({ plan }) => plan.verdict)).toEqual(
            once.map(({ plan }) => plan.verdict),
          );
        },
      ),
      { numRuns: 60 },
    );
  });

  it('leaves the state that it goes on from as it was: two futures of one past know nothing of each other', async () => {
    await fc.assert(
      fc.asyncProperty(sample.rows, sample.rows, sample.rows, async (past, one, other) => {
        const planner = KINDS[sample.kind].planner(inside.deps, importOf(sample.columns));
        const block = (first: number, cells: readonly string[][]) => ({
          first,
          rows: cells.map((row, i) => ({ line: first + i + 1, cells: [...row] })),
        });
        const { nextState: begun } = await planner.plan(inside.deps, planner.initial, block(1, past), true);
        const alone = await planner.plan(inside.deps, begun, block(100, one), true);
        await planner.plan(inside.deps, begun, block(100, other), true);
        const after = await planner.plan(inside.deps, begun, block(100, one), true);
        expect(after.rows).toEqual(alone.rows);
        expect([...planner.newGroups(after.nextState)].sort()).toEqual([...planner.newGroups(alone.nextState)].sort());
      }),
      { numRuns: 40 },
    );
  });
});
