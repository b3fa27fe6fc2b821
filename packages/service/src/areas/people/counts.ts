import type { Id } from '@nimble-latch/core/vocabulary';
import type { Answer } from '@nimble-latch/api';
import { select, selectOne, transact, write, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { withParts } from './parts.js';

/** What people are counted by, each along one index. */
export const FACETS = ['state', 'source', 'coverage', 'seen', 'method', 'group', 'member'] as const;
export type Facet = (typeof FACETS)[number];

/** Up to this many people counts are made when they are asked for; beyond, the counts of the last minute are told. */
const COUNTED_LIVE = 20_000;

interface CountRow {
  facet: Facet;
  value: string;
  people: number;
}

const QUERIES: Readonly<Record<Facet, string>> = {
  state: 'SELECT state AS value, COUNT(*) AS people FROM persons GROUP BY state',
  source: 'SELECT source AS value, COUNT(*) AS people FROM persons GROUP BY source',
  // Who cannot sign in any more is covered by nothing and missed by nobody.
  coverage: "SELECT coverage AS value, COUNT(*) AS people FROM persons WHERE state = 'active' GROUP BY coverage",
  seen: 'SELECT seen AS value, COUNT(*) AS people FROM persons GROUP BY seen',
  method: 'SELECT method AS value, COUNT(*) AS people FROM person_methods GROUP BY method',
  // Only people of groups with parts have to be told apart.
  group: `SELECT LOWER(HEX(m.group_id)) AS value, COUNT(*) AS people FROM group_members m
    WHERE NOT EXISTS (SELECT 1 FROM group_parts p WHERE p.whole_id = m.group_id) GROUP BY m.group_id
    UNION ALL SELECT LOWER(HEX(w.id)), (SELECT COUNT(DISTINCT m.person_id) FROM group_members m
      WHERE m.group_id = w.id OR m.group_id IN (SELECT c.part_id FROM group_closure c WHERE c.whole_id = w.id))
    FROM (SELECT DISTINCT whole_id AS id FROM group_parts) w`,
  member: 'SELECT LOWER(HEX(group_id)) AS value, COUNT(*) AS people FROM group_members GROUP BY group_id',
};

async function countNow(db: Db): Promise<CountRow[]> {
  const all: CountRow[] = [];
  for (const facet of FACETS)
    for (const row of await select<{ value: string; people: number }>(db, QUERIES[facet]))
      all.push({ facet, value: row.value, people: Number(row.people) });
  return all;
}

/** Counts everybody by every facet and keeps the counts. */
export async function keepCounts(deps: Deps): Promise<string> {
  const counts = await countNow(deps);
  await transact(deps.sequelize, async (db) => {
    await write(db, 'DELETE FROM people_counts');
    for (const { facet, value, people } of counts)
      await write(db, 'INSERT INTO people_counts VALUES (:facet, :value, :people, :now)', {
        facet,
        value,
        people,
        now: deps.now(),
      });
  });
  return `${counts.length} counts`;
}

const groupId = (hex: string) => idText(Buffer.from(hex, 'hex'));

/** The same of the people in some groups: those whom a limited role reaches, who are never very many. */
async function countWithin(deps: Deps, within: readonly Id[]): Promise<CountRow[]> {
  const groups = await withParts(deps, within.map(idBytes));
  if (groups.length === 0) return [];
  const reached = '(SELECT DISTINCT person_id FROM group_members WHERE group_id IN (:groups)) reached';
  const all: CountRow[] = [];
  const persons = (column: string, where = '1 = 1') =>
    `SELECT p.${column} AS value, COUNT(*) AS people FROM ${reached} JOIN persons p ON p.id = reached.person_id WHERE ${where} GROUP BY 1`;
  const members = `SELECT LOWER(HEX(m.group_id)) AS value, COUNT(*) AS people FROM ${reached} JOIN group_members m ON m.person_id = reached.person_id WHERE m.group_id IN (:groups) GROUP BY 1`;
  const queries: Readonly<Record<Facet, string>> = {
    state: persons('state'),
    source: persons('source'),
    coverage: persons('coverage', "p.state = 'active'"),
    seen: persons('seen'),
    method: `SELECT m.method AS value, COUNT(*) AS people FROM ${reached} JOIN person_methods m ON m.person_id = reached.person_id GROUP BY 1`,
    group: `SELECT LOWER(HEX(w.id)) AS value, COUNT(DISTINCT m.person_id) AS people FROM ${reached} JOIN group_members m ON m.person_id = reached.person_id
      JOIN (SELECT id, id AS part_id FROM person_groups UNION ALL SELECT whole_id, part_id FROM group_closure) w ON w.part_id = m.group_id WHERE w.id IN (:groups) GROUP BY 1`,
    member: members,
  };
  for (const facet of FACETS)
    for (const row of await select<{ value: string; people: number }>(deps, queries[facet], { groups }))
      all.push({ facet, value: row.value, people: Number(row.people) });
  return all;
}

/** How many people each value of each facet has, of everybody or of those in some groups. */
export async function countPeople(deps: Deps, within?: readonly Id[]): Promise<Answer<'people.counts'>> {
  if (within) return answerOf(await countWithin(deps, within), deps.now());
  const few = await selectOne<{ n: number }>(
    deps,
    `SELECT COUNT(*) AS n FROM (SELECT 1 FROM persons LIMIT ${COUNTED_LIVE + 1}) some`,
  );
  const kept =
    Number(few!.n) > COUNTED_LIVE
      ? await select<CountRow & { counted_at: Date }>(
          deps,
          'SELECT facet, value, people, counted_at FROM people_counts',
        )
      : [];
  return kept.length > 0 ? answerOf(kept, kept[0]!.counted_at) : answerOf(await countNow(deps), deps.now());
}

function answerOf(rows: readonly CountRow[], countedAt: Date): Answer<'people.counts'> {
  const of = (facet: Facet) =>
    Object.fromEntries(
      rows
        .filter((row) => row.facet === facet)
        .map((row) => [facet === 'group' || facet === 'member' ? groupId(row.value) : row.value, Number(row.people)]),
    );
  return {
    people: rows.filter((row) => row.facet === 'state').reduce((sum, row) => sum + Number(row.people), 0),
    countedAt: countedAt.toISOString(),
    state: of('state'),
    source: of('source'),
    coverage: of('coverage'),
    seen: of('seen'),
    method: of('method'),
    group: of('group'),
    member: of('member'),
  };
}

/** How old counts may be that only decide which index to walk along. */
const RECENT_MS = 15_000;
const recent = new WeakMap<Deps, { readonly at: number; readonly counts: Promise<Answer<'people.counts'>> }>();

/** Counts of the last moments; good enough to choose by. */
export async function recentCounts(deps: Deps): Promise<Answer<'people.counts'>> {
  const known = recent.get(deps);
  if (known && performance.now() - known.at < RECENT_MS) return await known.counts;
  const counts = countPeople(deps);
  recent.set(deps, { at: performance.now(), counts });
  counts.catch(() => recent.delete(deps));
  return await counts;
}
