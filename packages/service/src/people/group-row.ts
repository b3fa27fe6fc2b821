import type { Id } from '@nimble-latch/core/vocabulary';
import type { Answer } from '@nimble-latch/api';
import { selectOne, type Db } from '../db/sql.js';
import { notFound } from '../errors.js';
import { key, text } from '../ids.js';

/** A group as lists show it. */
export type Group = Answer<'groups.list'>['rows'][number];

export interface GroupRow {
  id: Buffer;
  name: string;
  description: string;
  members: number;
  parts: number;
  version: number;
  created_at: Date;
}

export const COLUMNS = `g.id, g.name, g.description, g.version, g.created_at, (SELECT COUNT(*) FROM group_members m WHERE m.group_id = g.id) AS members,
  (SELECT COUNT(*) FROM group_parts t WHERE t.whole_id = g.id) AS parts`;

export function groupOf(row: GroupRow): Group {
  const { id, name, description, members, parts, version } = row;
  return {
    id: text(id),
    name,
    description,
    members: Number(members),
    parts: Number(parts),
    createdAt: row.created_at.toISOString(),
    version,
  };
}

export async function readGroup(db: Db, id: Id): Promise<Group> {
  const row = await selectOne<GroupRow>(db, `SELECT ${COLUMNS} FROM person_groups g WHERE g.id = :id`, { id: key(id) });
  if (!row) throw notFound();
  return groupOf(row);
}
