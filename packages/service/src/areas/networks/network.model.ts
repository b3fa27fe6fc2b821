import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { flag, id, integer, json, letters, line } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A named list of address ranges. */
export class Network extends Model<InferAttributes<Network>, InferCreationAttributes<Network>> {
  declare id: Id;
  declare name: string;
  declare ranges: readonly string[];
  declare country: string | null;
  declare city: string | null;
  declare version: CreationOptional<number>;
  declare anonymising: CreationOptional<boolean>;
}

export const networks = tableOf(
  Network,
  'networks',
  {
    id: id({ key: true }),
    name: line(80)(),
    ranges: json<readonly string[]>('text')(),
    country: letters(2).orNone(),
    city: line(80).orNone(),
    version: integer({ first: 1 }),
    anonymising: flag({ first: false }),
  },
  {
    indexes: [{ name: 'networks_name', fields: ['name'], unique: true }],
  },
);
