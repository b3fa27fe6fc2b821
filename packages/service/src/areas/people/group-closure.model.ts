import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { bigInteger, id } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A group somewhere inside another, and in how many ways. */
export class GroupPair extends Model<InferAttributes<GroupPair>, InferCreationAttributes<GroupPair>> {
  declare wholeId: Id;
  declare partId: Id;
  declare ways: number;
}

export const groupClosure = tableOf(
  GroupPair,
  'group_closure',
  {
    wholeId: id({ key: true, of: { table: 'person_groups', gone: 'CASCADE' } }),
    partId: id({ key: true, of: { table: 'person_groups', gone: 'CASCADE' } }),
    ways: bigInteger(),
  },
  {
    indexes: [{ name: 'group_closure_part', fields: ['part_id'] }],
  },
);
