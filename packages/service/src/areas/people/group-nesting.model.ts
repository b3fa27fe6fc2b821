import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { claim, integer, onlyRow } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** The row that whoever changes which group is part of which holds. */
export class GroupNesting extends Model<InferAttributes<GroupNesting>, InferCreationAttributes<GroupNesting>> {
  declare id: number;
  declare version: number;
  declare claim: CreationOptional<number>;
}

export const groupNesting = tableOf(GroupNesting, 'group_nesting', {
  id: onlyRow({ key: true }),
  version: integer(),
  claim,
});
