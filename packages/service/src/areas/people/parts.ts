import { select, type Db } from '../../platform/db/sql.js';

/** Groups and every group inside them. */
export async function withParts(db: Db, groups: readonly Buffer[]): Promise<Buffer[]> {
  if (groups.length === 0) return [];
  const parts = await select<{ part_id: Buffer }>(
    db,
    'SELECT DISTINCT part_id FROM group_closure WHERE whole_id IN (:groups)',
    { groups },
  );
  const all = new Map([...groups, ...parts.map((part) => part.part_id)].map((id) => [id.toString('hex'), id]));
  return [...all.values()];
}
