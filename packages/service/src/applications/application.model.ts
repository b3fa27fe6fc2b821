import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { flag, id, instant, integer, line } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** What people sign in to. */
export class Application extends Model<InferAttributes<Application>, InferCreationAttributes<Application>> {
  declare id: Id;
  declare name: string;
  declare description: string;
  declare builtIn: CreationOptional<boolean>;
  declare version: CreationOptional<number>;
  declare createdAt: Date;
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
  },
);
