import { Model, type InferAttributes, type InferCreationAttributes, type NonAttribute } from 'sequelize';
import type { Binding, Rulebook } from '@nimble-latch/core/rulebook';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, json, line, longText } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { persons, type Person } from '../people/person.model.js';

/** A rulebook that was published. */
export class Version extends Model<InferAttributes<Version>, InferCreationAttributes<Version>> {
  declare number: number;
  declare text: string;
  declare rules: Rulebook;
  declare bound: Binding;
  declare message: string;
  declare lockedOut: number;
  declare publishedBy: Id | null;
  declare publishedAt: Date;
  declare publisher?: NonAttribute<Person | null>;
}

export const rulebookVersions = tableOf(
  Version,
  'rulebook_versions',
  {
    number: integer({ key: true }),
    text: longText('mediumtext')(),
    rules: json<Rulebook>('mediumtext')(),
    bound: json<Binding>('mediumtext')(),
    message: line(400)(),
    lockedOut: integer(),
    publishedBy: id.orNone(),
    publishedAt: instant(),
  },
  {
    joins: (self, on) =>
      void self.belongsTo(persons(on), { as: 'publisher', foreignKey: 'publishedBy', constraints: false }),
  },
);
