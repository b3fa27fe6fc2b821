import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, LoginNameKind, Source } from '@nimble-latch/core/vocabulary';
import { exactLine, id, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A name by which somebody is known; nobody else has it. */
export class LoginName extends Model<InferAttributes<LoginName>, InferCreationAttributes<LoginName>> {
  declare id: Id;
  declare personId: Id;
  declare value: string;
  declare kind: LoginNameKind;
  declare source: Source;
  declare mappingId: Id | null;
}

export const loginNames = tableOf(
  LoginName,
  'login_names',
  {
    id: id({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    value: exactLine(190)(),
    kind: word<LoginNameKind>()(),
    source: word<Source>()(),
    mappingId: id.orNone(),
  },
  {
    indexes: [
      { name: 'login_names_person', fields: ['person_id'] },
      { name: 'login_names_value', fields: ['value'], unique: true },
    ],
  },
);
