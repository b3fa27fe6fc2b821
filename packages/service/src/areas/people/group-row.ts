import type { Answer } from '@nimble-latch/api';
import type { Id } from '@nimble-latch/core/vocabulary';
import { countBy, within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { notFound } from '../../platform/errors.js';
import { groupMembers } from './group-member.model.js';
import { groupParts } from './group-part.model.js';
import { groups, type Group as GroupRecord } from './group.model.js';

/** A group as lists show it. */
export type Group = Answer<'groups.list'>['rows'][number];

/** Groups with how many people are directly in each, and how many groups are directly part of it. */
export async function counted(db: Db, found: readonly GroupRecord[]): Promise<Group[]> {
  const ids = found.map(({ id }) => id);
  const { transaction } = within(db);
  const members = await countBy(groupMembers(db), 'groupId', { groupId: ids }, transaction);
  const parts = await countBy(groupParts(db), 'wholeId', { wholeId: ids }, transaction);
  return found.map(({ id, name, description, createdAt, version }) => ({
    id,
    name,
    description,
    members: members.get(id) ?? 0,
    parts: parts.get(id) ?? 0,
    createdAt: createdAt.toISOString(),
    version,
  }));
}

/** Throws not-found. */
export async function readGroup(db: Db, id: Id): Promise<Group> {
  const group = await groups(db).findByPk(id, { rejectOnEmpty: notFound(), ...within(db) });
  return (await counted(db, [group]))[0]!;
}
