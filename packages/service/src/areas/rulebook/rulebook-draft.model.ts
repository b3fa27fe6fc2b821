import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type NonAttribute,
} from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { claim, id, instant, integer, longText, onlyRow } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { persons, type Person } from '../people/person.model.js';

/** The one draft; without a text none is begun. */
export class Draft extends Model<InferAttributes<Draft>, InferCreationAttributes<Draft>> {
  declare id: number;
  declare text: string | null;
  declare basedOn: number;
  declare changedBy: Id | null;
  declare changedAt: Date;
  declare version: number;
  declare claim: CreationOptional<number>;
  declare changer?: NonAttribute<Person | null>;
}

export const rulebookDrafts = tableOf(
  Draft,
  'rulebook_draft',
  {
    id: onlyRow({ key: true }),
    text: longText('mediumtext').orNone(),
    basedOn: integer(),
    changedBy: id.orNone(),
    changedAt: instant(),
    version: integer(),
    claim,
  },
  {
    joins: (self, on) =>
      void self.belongsTo(persons(on), { as: 'changer', foreignKey: 'changedBy', constraints: false }),
  },
);
