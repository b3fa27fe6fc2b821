import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A group that is directly part of another. */
export class GroupPart extends Model<InferAttributes<GroupPart>, InferCreationAttributes<GroupPart>> {
  declare wholeId: Id;
  declare partId: Id;
}

export const groupParts = tableOf(
  GroupPart,
  'group_parts',
  {
    wholeId: id({ key: true, of: { table: 'person_groups', gone: 'CASCADE' } }),
    partId: id({ key: true, of: { table: 'person_groups', gone: 'CASCADE' } }),
  },
  {
    indexes: [{ name: 'group_parts_part', fields: ['part_id'] }],
  },
);
