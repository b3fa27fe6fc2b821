import { COVERAGES, type Answer } from '@nimble-latch/api';
import type { Coverage, Id } from '@nimble-latch/core/vocabulary';
import { select } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { countPeople } from '../people/counts.js';
import { withParts } from '../people/parts.js';
import { keptAWhile } from '../../platform/kept-a-while.js';

/** So many groups are told side by side as one can compare. */
const SHOWN = 12;

type Row = Answer<'figures.groups'>['rows'][number];

/** Active people of one group and of all within it, by how their keyring covers them: exactly those whom the list of people shows. */
async function coverageOf(deps: Deps, id: Id): Promise<Row['coverage']> {
  const rows = await select<{ coverage: Coverage; n: number }>(
    deps,
    `SELECT p.coverage, COUNT(*) AS n FROM (SELECT DISTINCT person_id FROM group_members WHERE group_id IN (:groups)) m
       JOIN persons p ON p.id = m.person_id WHERE p.state = 'active' GROUP BY p.coverage`,
    { groups: await withParts(deps, [idBytes(id)]) },
  );
  const counted = new Map(rows.map(({ coverage, n }) => [coverage, Number(n)]));
  return Object.fromEntries(COVERAGES.map((coverage) => [coverage, counted.get(coverage) ?? 0])) as Row['coverage'];
}

const count = keptAWhile(async (deps): Promise<Answer<'figures.groups'>> => {
  const { group } = await countPeople(deps);
  const largest = Object.entries(group)
    .filter(([, people]) => people > 0)
    .sort(([a, of], [b, than]) => than - of || (a < b ? -1 : 1))
    .slice(0, SHOWN)
    .map(([id]) => id as Id);
  if (largest.length === 0) return { groups: 0, rows: [] };
  const named = await select<{ id: Buffer; name: string }>(
    deps,
    'SELECT id, name FROM person_groups WHERE id IN (:ids)',
    { ids: largest.map(idBytes) },
  );
  const names = new Map(named.map(({ id, name }) => [idText(id), name]));
  const rows: Row[] = [];
  for (const id of largest) {
    const name = names.get(id);
    // One that was deleted since people were counted.
    if (name !== undefined) rows.push({ group: { id, name }, coverage: await coverageOf(deps, id) });
  }
  return { groups: Object.keys(group).length, rows };
});

/** The largest groups, each with its people by how they are covered. */
export const coverageOfGroups: Handler<'figures.groups'> = async (deps) => ({ answer: await count(deps) });
