import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS, type Answer } from '@nimble-latch/api';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { Op } from 'sequelize';
import { given, NEXT_VERSION, within } from '../../platform/db/models.js';
import { likePrefix, write, type Db } from '../../platform/db/sql.js';
import { keepingNamesApart } from '../../platform/db/unique-name.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, newId } from '../../platform/ids.js';
import { assertNoMethodsFor } from '../methods/assert-no-methods-for.js';
import { assertUnruled } from '../rulebook/assert-unruled.js';
import { groupMembers } from './group-member.model.js';
import { counted, readGroup } from './group-row.js';
import { groups } from './group.model.js';
import { lockPerson } from './lock-person.js';
import { reachedGroups } from './reached-groups.js';
import { readNesting, unnestAll } from './nesting.js';

export const listGroups: Handler<'groups.list'> = async (deps, { actor, query }) => {
  const reached = await reachedGroups(deps, actor, 'group.read');
  const after = decodeCursor(query.cursor, ['string']);
  const rows = await groups(deps).findAll({
    where: {
      ...(reached ? { id: [...reached] } : {}),
      name: { [Op.like]: likePrefix(query.q ?? ''), ...(after ? { [Op.gt]: after[0] } : {}) },
    },
    order: ['name'],
    limit: query.limit + 1,
    ...within(deps),
  });
  const page = pageOf(rows, query.limit, (row) => [row.name]);
  return { answer: { rows: await counted(deps, page.rows), next: page.next } };
};

/** A group as its page shows it. */
async function readWhole(db: Db, id: Id): Promise<Answer<'groups.show'>> {
  const { parts: _, ...group } = await readGroup(db, id);
  return { ...group, ...(await readNesting(db, idBytes(id))) };
}

export const showGroup: Handler<'groups.show'> = async (deps, { actor, params }) => {
  const reached = await reachedGroups(deps, actor, 'group.read');
  // That there is one of which they may not know is not told either.
  if (reached && !reached.has(params.id)) throw notFound();
  const group = await readWhole(deps, params.id);
  const partOf = group.partOf.filter(({ id }) => reached?.has(id) ?? true);
  return { answer: { ...group, partOf }, version: group.version };
};

export const addGroup: Handler<'groups.add'> = async (deps, call) =>
  await call.run(async (work) => {
    const id = newId(deps);
    await keepingNamesApart(
      'person_groups_name',
      call.body.name,
      groups(work).create({ id, ...call.body, createdAt: work.now }, { transaction: work.transaction }),
    );
    await work.trail(entryOf(call, 'group.added', { kind: 'group', id }));
    const group = await readWhole(work, id);
    return { answer: group, version: group.version };
  });

export const editGroup: Handler<'groups.edit'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    await readGroup(work, id);
    const [done] = await keepingNamesApart(
      'person_groups_name',
      call.body.name,
      groups(work).update(
        { ...given(call.body), version: NEXT_VERSION },
        { where: { id, version: call.ifMatch! }, transaction: work.transaction },
      ),
    );
    if (done === 0) throw new Refusal('changed-meanwhile');
    await work.trail(
      entryOf(call, 'group.changed', { kind: 'group', id }, { details: { fields: Object.keys(call.body) } }),
    );
    const group = await readWhole(work, id);
    return { answer: group, version: group.version };
  });

export const deleteGroup: Handler<'groups.delete'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const group = await readGroup(work, id);
    await assertUnruled(work, 'groups', id);
    await assertNoMethodsFor(work, id);
    await unnestAll(work, idBytes(id));
    await groups(work).destroy({ where: { id }, transaction: work.transaction });
    await work.trail(
      entryOf(call, 'group.deleted', { kind: 'group', id }, { details: { name: group.name, members: group.members } }),
    );
    return { answer: null };
  });

export const joinGroup: Handler<'groups.join'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id, personId } = call.params;
    await lockPerson(work, personId);
    await readGroup(work, id);
    const { transaction } = work;
    if ((await groupMembers(work).count({ where: { personId }, transaction })) >= LIMITS.groupsPerPerson)
      throw new Refusal('limit-reached', { limit: LIMITS.groupsPerPerson });
    const joined = await write(
      work,
      'INSERT IGNORE INTO group_members (group_id, person_id, name_key) SELECT :id, id, name_key FROM persons WHERE id = :personId',
      { id: idBytes(id), personId: idBytes(personId) },
    );
    if (joined > 0) await work.trail(entryOf(call, 'group.joined', { kind: 'group', id }, { person: personId }));
    return { answer: null };
  });

export const leaveGroup: Handler<'groups.leave'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id, personId } = call.params;
    await readGroup(work, id);
    const { transaction } = work;
    const left = await groupMembers(work).destroy({ where: { groupId: id, personId }, transaction });
    if (left > 0) await work.trail(entryOf(call, 'group.left', { kind: 'group', id }, { person: personId }));
    return { answer: null };
  });
