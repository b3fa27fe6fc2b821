import { LIMITS, type Answer } from '@nimble-latch/api';
import { select, selectOne, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { groupNesting } from './group-nesting.model.js';
import { groupParts } from './group-part.model.js';
import { readGroup } from './group-row.js';

/** From this moment until the transaction ends nobody else changes which group is part of which. */
export async function lockNesting(work: Work): Promise<void> {
  const { transaction } = work;
  await groupNesting(work).findByPk(1, { lock: transaction.LOCK.UPDATE, transaction });
}

/** Whether the second group is somewhere inside the first. */
export async function isWithin(db: Db, whole: Buffer, part: Buffer): Promise<boolean> {
  return (
    (await selectOne(db, 'SELECT 1 AS one FROM group_closure WHERE whole_id = :whole AND part_id = :part', {
      whole,
      part,
    })) !== undefined
  );
}

/** Every pair that one more or one less direct part makes: each group around the whole with each inside the part. */
const PAIRS = `SELECT a.id AS whole_id, d.id AS part_id, a.ways * d.ways AS ways FROM
  (SELECT :whole AS id, 1 AS ways UNION ALL SELECT whole_id, ways FROM group_closure WHERE part_id = :whole) a
  JOIN (SELECT :part AS id, 1 AS ways UNION ALL SELECT part_id, ways FROM group_closure WHERE whole_id = :part) d`;

/**
 * Makes one group a direct part of another. The caller holds the nesting ({@link lockNesting}).
 *
 * @returns false where it is one already
 * @throws Refusal `group-circle` where the whole is inside the part
 */
export async function nest(work: Work, whole: Buffer, part: Buffer): Promise<boolean> {
  if (whole.equals(part) || (await isWithin(work, part, whole))) throw new Refusal('group-circle');
  const added = await write(work, 'INSERT IGNORE INTO group_parts (whole_id, part_id) VALUES (:whole, :part)', {
    whole,
    part,
  });
  if (added === 0) return false;
  await write(
    work,
    `INSERT INTO group_closure (whole_id, part_id, ways) SELECT * FROM (${PAIRS}) pairs
     ON DUPLICATE KEY UPDATE ways = group_closure.ways + VALUES(ways)`,
    { whole, part },
  );
  return true;
}

/** Takes a direct part out again; false where it was none. The caller holds the nesting. */
export async function unnest(work: Work, whole: Buffer, part: Buffer): Promise<boolean> {
  const gone = await write(work, 'DELETE FROM group_parts WHERE whole_id = :whole AND part_id = :part', {
    whole,
    part,
  });
  if (gone === 0) return false;
  await write(
    work,
    `UPDATE group_closure c JOIN (${PAIRS}) pairs ON pairs.whole_id = c.whole_id AND pairs.part_id = c.part_id SET c.ways = c.ways - pairs.ways`,
    { whole, part },
  );
  await write(work, 'DELETE FROM group_closure WHERE ways = 0');
  return true;
}

/** Takes a group out of every nesting, before it is deleted. */
export async function unnestAll(work: Work, id: Buffer): Promise<void> {
  await lockNesting(work);
  const edges = await select<{ whole_id: Buffer; part_id: Buffer }>(
    work,
    'SELECT whole_id, part_id FROM group_parts WHERE whole_id = :id OR part_id = :id',
    { id },
  );
  for (const edge of edges) await unnest(work, edge.whole_id, edge.part_id);
}

type Nested = Pick<Answer<'groups.show'>, 'people' | 'parts' | 'partOf'>;

/** What a group is made of, what each part brings, and what it is itself a part of. */
export async function readNesting(db: Db, id: Buffer): Promise<Nested> {
  const people = await selectOne<{ n: number }>(
    db,
    `SELECT COUNT(DISTINCT person_id) AS n FROM group_members
     WHERE group_id = :id OR group_id IN (SELECT part_id FROM group_closure WHERE whole_id = :id)`,
    { id },
  );
  const parts = await select<{ id: Buffer; name: string; people: number; direct: number }>(
    db,
    `SELECT g.id, g.name, EXISTS (SELECT 1 FROM group_parts p WHERE p.whole_id = :id AND p.part_id = g.id) AS direct,
       (SELECT COUNT(DISTINCT m.person_id) FROM group_members m
        WHERE m.group_id = g.id OR m.group_id IN (SELECT part_id FROM group_closure WHERE whole_id = g.id)) AS people
     FROM group_closure c JOIN person_groups g ON g.id = c.part_id WHERE c.whole_id = :id ORDER BY direct DESC, g.name LIMIT ${LIMITS.partsPerGroup}`,
    { id },
  );
  const wholes = await select<{ id: Buffer; name: string; direct: number }>(
    db,
    `SELECT g.id, g.name, EXISTS (SELECT 1 FROM group_parts p WHERE p.whole_id = g.id AND p.part_id = :id) AS direct
     FROM group_closure c JOIN person_groups g ON g.id = c.whole_id WHERE c.part_id = :id ORDER BY direct DESC, g.name LIMIT ${LIMITS.partsPerGroup}`,
    { id },
  );
  return {
    people: Number(people?.n ?? 0),
    parts: parts.map((part) => ({
      id: idText(part.id),
      name: part.name,
      people: Number(part.people),
      direct: Number(part.direct) === 1,
    })),
    partOf: wholes.map((whole) => ({ id: idText(whole.id), name: whole.name, direct: Number(whole.direct) === 1 })),
  };
}

export const addPart: Handler<'groups.addPart'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id, partId } = call.params;
    await lockNesting(work);
    await readGroup(work, id);
    const part = await readGroup(work, partId);
    const { transaction } = work;
    const count = await groupParts(work).count({ where: { wholeId: id }, transaction });
    if (count >= LIMITS.partsPerGroup) throw new Refusal('limit-reached', { limit: LIMITS.partsPerGroup });
    if (await nest(work, idBytes(id), idBytes(partId)))
      await work.trail(
        entryOf(call, 'group.part-added', { kind: 'group', id }, { details: { part: partId, people: part.members } }),
      );
    return { answer: null };
  });

export const removePart: Handler<'groups.removePart'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id, partId } = call.params;
    await lockNesting(work);
    await readGroup(work, id);
    if (!(await unnest(work, idBytes(id), idBytes(partId)))) throw notFound();
    await work.trail(entryOf(call, 'group.part-removed', { kind: 'group', id }, { details: { part: partId } }));
    return { answer: null };
  });
