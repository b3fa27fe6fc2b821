import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type NonAttribute,
} from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { flag, id, instant, integer, line } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { applicationOrigins, type ApplicationOrigin } from './application-origin.model.js';
import { connections, type Connection } from './connection.model.js';

/** What people sign in to. */
export class Application extends Model<InferAttributes<Application>, InferCreationAttributes<Application>> {
  declare id: Id;
  declare name: string;
  declare description: string;
  declare builtIn: CreationOptional<boolean>;
  declare version: CreationOptional<number>;
  declare createdAt: Date;
  declare connections?: NonAttribute<Connection[]>;
  declare origins?: NonAttribute<ApplicationOrigin[]>;
}

export const applications = tableOf(
  Application,
  'applications',
  {
    id: id({ key: true }),
    name: line(80)(),
    description: line(400)(),
    builtIn: flag({ first: false }),
    version: integer({ first: 1 }),
    createdAt: instant(),
  },
  {
    indexes: [{ name: 'applications_name', fields: ['name'], unique: true }],
    joins: (self, on) => {
      self.hasMany(connections(on), { as: 'connections', foreignKey: 'applicationId', constraints: false });
      self.hasMany(applicationOrigins(on), { as: 'origins', foreignKey: 'applicationId', constraints: false });
    },
  },
);
