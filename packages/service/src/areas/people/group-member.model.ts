import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { exactLine, id } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Somebody who is directly in a group. */
export class GroupMember extends Model<InferAttributes<GroupMember>, InferCreationAttributes<GroupMember>> {
  declare groupId: Id;
  declare personId: Id;
  declare nameKey: CreationOptional<string>;
  declare mappingId: Id | null;
}

export const groupMembers = tableOf(
  GroupMember,
  'group_members',
  {
    groupId: id({ key: true, of: { table: 'person_groups', gone: 'CASCADE' } }),
    personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
    nameKey: exactLine(60)({ first: '' }),
    mappingId: id.orNone(),
  },
  {
    indexes: [
      { name: 'group_members_by_name', fields: ['group_id', 'name_key', 'person_id'] },
      { name: 'group_members_person', fields: ['person_id'] },
    ],
  },
);
