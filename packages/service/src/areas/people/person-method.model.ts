import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, Method } from '@nimble-latch/core/vocabulary';
import { exactLine, id, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A method that somebody holds, for lists. */
export class PersonMethod extends Model<InferAttributes<PersonMethod>, InferCreationAttributes<PersonMethod>> {
  declare personId: Id;
  declare method: Method;
  declare nameKey: string;
}

export const personMethods = tableOf(
  PersonMethod,
  'person_methods',
  {
    personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
    method: word<Method>()({ key: true }),
    nameKey: exactLine(60)(),
  },
  {
    indexes: [{ name: 'person_methods_by_method', fields: ['method', 'name_key', 'person_id'] }],
  },
);
