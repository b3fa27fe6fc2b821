import { nameKey, nameTerms } from '@nimble-latch/core/people';
import type { Id } from '@nimble-latch/core/vocabulary';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { select, write } from '../../platform/db/sql.js';
import { loadDemo } from '../../host/demo/load.js';
import { seededRandom } from '../../host/demo/world.js';
import { idText } from '../../platform/ids.js';
import { countPeople, keepCounts } from './counts.js';
import { ageSeen, fillFacets } from './facets.js';
import type { PeopleFilter } from './filter.js';
import { countExactly } from './gather.js';
import { listPeople } from './list.js';

/** Everybody as the naive way of filtering sees them: whole rows, in memory. */
interface Known {
  id: string;
  display_name: string;
  state: string;
  source: string;
  coverage: string;
  seen: string;
  mail: string;
  names: string[];
  serials: string[];
  methods: string[];
  /** Groups they are in themselves, and those with what is around each. */
  members: Id[];
  groups: Id[];
}

let inside: Inside;
let everybody: Known[];
beforeAll(async () => {
  inside = await openInside();
  await loadDemo(inside.deps, 400);
  // Two people of the same name, and one whose name is no word.
  await write(inside.deps, "UPDATE persons SET display_name = 'Bram Oster' WHERE display_name = 'Cato Wray'");
  await write(inside.deps, "UPDATE persons SET display_name = '⚓⚓' WHERE display_name = 'Zofia Lis'");
  await write(inside.deps, "UPDATE persons SET name_key = '' WHERE display_name IN ('Bram Oster', '⚓⚓')");
  await fillFacets(inside.deps);
  everybody = await read();
});
afterAll(async () => await inside.close());

async function read(): Promise<Known[]> {
  const { deps } = inside;
  const rows = await select<{ id: Buffer } & Omit<Known, 'id'>>(deps, 'SELECT * FROM persons');
  const related = async (sql: string) =>
    await select<{ person_id: Buffer; value: string }>(deps, sql).then(
      (found) => (id: Buffer) => found.filter((row) => row.person_id.equals(id)).map((row) => row.value),
    );
  const names = await related('SELECT person_id, value FROM login_names');
  const serials = await related('SELECT person_id, serial AS value FROM carriers WHERE serial IS NOT NULL');
  const methods = await related(
    "SELECT DISTINCT person_id, method AS value FROM authenticators WHERE state = 'active'",
  );
  const members = await related('SELECT person_id, LOWER(HEX(group_id)) AS value FROM group_members');
  const edges = await select<{ whole: string; part: string }>(
    deps,
    'SELECT LOWER(HEX(whole_id)) AS whole, LOWER(HEX(part_id)) AS part FROM group_parts',
  );
  const around = (group: string): string[] => [
    group,
    ...edges.filter(({ part }) => part === group).flatMap(({ whole }) => around(whole)),
  ];
  const ids = (hexes: readonly string[]) => [...new Set(hexes)].map((hex) => idText(Buffer.from(hex, 'hex')));
  return rows.map((row) => ({
    ...row,
    id: idText(row.id),
    names: names(row.id),
    serials: serials(row.id),
    methods: methods(row.id),
    members: ids(members(row.id)),
    groups: ids(members(row.id).flatMap(around)),
    mail: `${names(row.id)[0]!}@wexmoor.example`,
  }));
}

/** Whether a serial number begins as was typed, whatever stands between its letters and digits. */
function hasNumber(serial: string, typed: string): boolean {
  const plain = (text: string) => text.split(/[ -]/).join('').toUpperCase();
  return plain(typed).length >= 3 && plain(serial).startsWith(plain(typed));
}

function naive(filter: PeopleFilter): string[] {
  const q = filter.q?.trim().toLowerCase();
  return everybody
    .filter(
      (one) =>
        (filter.state === undefined || one.state === filter.state) &&
        (filter.source === undefined || one.source === filter.source) &&
        (filter.coverage === undefined || one.coverage === filter.coverage) &&
        (filter.seen === undefined || one.seen === filter.seen) &&
        (filter.method === undefined || one.methods.includes(filter.method)) &&
        (filter.group === undefined || one.groups.includes(filter.group)) &&
        (filter.member === undefined || one.members.includes(filter.member)) &&
        (q === undefined ||
          (nameKey(q) !== '' && nameTerms(nameKey(one.display_name)).some((term) => term.startsWith(nameKey(q)))) ||
          one.names.some((name) => name.startsWith(q)) ||
          one.serials.some((serial) => hasNumber(serial, q)) ||
          one.mail === q),
    )
    .map((one) => one.id)
    .sort();
}

/** Every page of a list, walked to its end. */
async function walk(filter: PeopleFilter, limit: number): Promise<string[]> {
  const ids: string[] = [];
  let cursor: string | undefined;
  do {
    const page = await listPeople(inside.deps, filter, { limit, cursor });
    expect(page.rows.length).toBeLessThanOrEqual(limit);
    ids.push(...page.rows.map((row) => row.id));
    cursor = page.next ?? undefined;
  } while (cursor !== undefined);
  return ids;
}

describe('lists of people', () => {
  it('agree with the naive way on any filter and search, page by page, with the exact count', async () => {
    const random = seededRandom(11);
    const oneOf = <T>(list: readonly T[]) => list[Math.floor(random() * list.length)]!;
    const maybe = <T>(value: T, chance = 0.3) => (random() < chance ? value : undefined);
    const groups = [...new Set(everybody.flatMap((one) => one.groups))];
    for (let i = 0; i < 120; i++) {
      const someone = oneOf(everybody);
      const filter: PeopleFilter = {
        state: maybe(oneOf(['active', 'deactivated'] as const)),
        source: maybe(oneOf(['hand', 'set-up', 'csv'] as const), 0.1),
        coverage: maybe(oneOf(['nothing', 'weak', 'two-factors', 'phishing-resistant'] as const)),
        seen: maybe(oneOf(['this-week', 'this-month', 'never'] as const)),
        method: maybe(oneOf(['password', 'totp'] as const)),
        group: maybe(oneOf(groups)),
        member: maybe(oneOf(groups), 0.1),
        q: maybe(
          oneOf([
            someone.display_name.slice(0, 1 + Math.floor(random() * 6)),
            someone.display_name.split(' ').at(-1)!.slice(0, 3),
            someone.names[1]!.slice(0, 6),
            someone.mail,
            (someone.serials[0] ?? 'WX-9').slice(0, 5),
            someone.serials[0]?.toLowerCase().replace('-', ' ') ?? 'wx',
            'a',
            'nobody of this name',
            '%',
            '⚓',
          ]),
          0.5,
        ),
      };
      const expected = naive(filter);
      const found = await walk(filter, 1 + Math.floor(random() * 60));
      expect(found.toSorted(), JSON.stringify(filter)).toEqual(expected);
      expect(new Set(found).size).toBe(found.length);
      expect(await countExactly(inside.deps, filter), JSON.stringify(filter)).toBe(expected.length);
    }
  });

  it('come in the order of names; people of one name in a fixed one', async () => {
    const ids = await walk({}, 7);
    const keys = ids.map((id) => nameKey(everybody.find((one) => one.id === id)!.display_name));
    expect(keys).toEqual(keys.toSorted((a, b) => (a < b ? -1 : a > b ? 1 : 0)));
    expect(ids).toEqual(await walk({}, 50));
  });

  it('are counted by every filter as the naive way counts, now and from what was kept', async () => {
    await keepCounts(inside.deps);
    const counts = await countPeople(inside.deps);
    expect(counts.people).toBe(everybody.length);
    const tally = (values: string[]) => {
      const counted: Record<string, number> = {};
      for (const value of values) counted[value] = (counted[value] ?? 0) + 1;
      return counted;
    };
    expect(counts).toMatchObject({
      state: tally(everybody.map((one) => one.state)),
      seen: tally(everybody.map((one) => one.seen)),
      method: tally(everybody.flatMap((one) => one.methods)),
      group: tally(everybody.flatMap((one) => one.groups)),
      member: tally(everybody.flatMap((one) => one.members)),
      coverage: tally(everybody.filter((one) => one.state === 'active').map((one) => one.coverage)),
    });
    const kept = await select<{ n: number }>(
      inside.deps,
      "SELECT SUM(people) AS n FROM people_counts WHERE facet = 'state'",
    );
    expect(Number(kept[0]!.n)).toBe(everybody.length);
  });

  it('move people on as their last sign-in grows older', async () => {
    const before = await countPeople(inside.deps);
    const later = { ...inside.deps, now: () => new Date(Date.now() + 8 * 86_400_000) };
    await ageSeen(later);
    const after = await countPeople(inside.deps);
    expect(before.seen['this-week']).toBeGreaterThan(0);
    expect(after.seen['this-week'] ?? 0).toBe(0);
    expect(after.people).toBe(before.people);
    expect(after.seen['never']).toBe(before.seen['never']);
  });
});
