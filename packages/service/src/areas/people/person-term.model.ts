import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { exactLine, id } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A beginning of a word by which somebody is found. */
export class PersonTerm extends Model<InferAttributes<PersonTerm>, InferCreationAttributes<PersonTerm>> {
  declare term: string;
  declare personId: Id;
}

export const personTerms = tableOf(
  PersonTerm,
  'person_terms',
  {
    term: exactLine(60)({ key: true }),
    personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
  },
  {
    indexes: [{ name: 'person_terms_person', fields: ['person_id'] }],
  },
);
