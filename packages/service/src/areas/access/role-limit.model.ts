import { Model, type InferAttributes, type InferCreationAttributes, type NonAttribute } from 'sequelize';
import type { Id, Role } from '@nimble-latch/core/vocabulary';
import { id, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { groups, type Group } from '../people/group.model.js';

/** A group that a limited role reaches. */
export class RoleLimit extends Model<InferAttributes<RoleLimit>, InferCreationAttributes<RoleLimit>> {
  declare personId: Id;
  declare role: Role;
  declare groupId: Id;
  declare group?: NonAttribute<Group>;
}

export const roleLimits = tableOf(
  RoleLimit,
  'role_limits',
  {
    personId: id({ key: true, of: { table: 'role_grants', column: 'person_id', gone: 'CASCADE' } }),
    role: word<Role>()({ key: true, of: { table: 'role_grants', column: 'role', gone: 'CASCADE' } }),
    groupId: id({ key: true, of: { table: 'person_groups', gone: 'CASCADE' } }),
  },
  {
    indexes: [{ name: 'role_limits_group_fk', fields: ['group_id'] }],
    joins: (self, on) => void self.belongsTo(groups(on), { as: 'group', foreignKey: 'groupId', constraints: false }),
  },
);
