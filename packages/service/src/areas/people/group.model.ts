import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, line } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A group of people. */
export class Group extends Model<InferAttributes<Group>, InferCreationAttributes<Group>> {
  declare id: Id;
  declare name: string;
  declare description: string;
  declare version: CreationOptional<number>;
  declare createdAt: Date;
}

export const groups = tableOf(
  Group,
  'person_groups',
  {
    id: id({ key: true }),
    name: line(80)(),
    description: line(400)(),
    version: integer({ first: 1 }),
    createdAt: instant(),
  },
  {
    indexes: [{ name: 'person_groups_name', fields: ['name'], unique: true }],
  },
);
