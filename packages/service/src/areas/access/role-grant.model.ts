import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type NonAttribute,
} from 'sequelize';
import type { Id, Role } from '@nimble-latch/core/vocabulary';
import { claim, flag, id, instant, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { persons, type Person } from '../people/person.model.js';

/** A role that somebody holds. */
export class RoleGrant extends Model<InferAttributes<RoleGrant>, InferCreationAttributes<RoleGrant>> {
  declare personId: Id;
  declare role: Role;
  declare grantedAt: Date;
  declare limited: CreationOptional<boolean>;
  declare grantedBy: Id | null;
  declare claim: CreationOptional<number>;
  declare person?: NonAttribute<Person>;
  declare granter?: NonAttribute<Person | null>;
}

export const roleGrants = tableOf(
  RoleGrant,
  'role_grants',
  {
    personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
    role: word<Role>()({ key: true }),
    grantedAt: instant(),
    limited: flag({ first: false }),
    grantedBy: id.orNone(),
    claim,
  },
  {
    joins: (self, on) => {
      self.belongsTo(persons(on), { as: 'person', foreignKey: 'personId', constraints: false });
      self.belongsTo(persons(on), { as: 'granter', foreignKey: 'grantedBy', constraints: false });
    },
  },
);
