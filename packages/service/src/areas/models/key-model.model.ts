import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { ascii, day, fixedBytes, flag, line, longText } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A model of security keys that the metadata name. */
export class KeyModel extends Model<InferAttributes<KeyModel>, InferCreationAttributes<KeyModel>> {
  declare id: Buffer;
  declare aaguid: Buffer | null;
  declare name: string;
  declare picture: string | null;
  declare roots: string;
  declare status: string | null;
  declare statusSince: string | null;
  declare compromised: boolean;
  declare certified: string | null;
}

export const keyModels = tableOf(
  KeyModel,
  'key_models',
  {
    id: fixedBytes(16)({ key: true }),
    aaguid: fixedBytes(16).orNone(),
    name: line(120)(),
    picture: longText('mediumtext').orNone(),
    roots: longText('mediumtext')(),
    status: ascii('varchar(60)', 'ascii_general_ci').orNone(),
    statusSince: day.orNone(),
    compromised: flag(),
    certified: ascii('varchar(60)', 'ascii_general_ci').orNone(),
  },
  {
    indexes: [
      { name: 'key_models_compromised', fields: ['compromised'] },
      { name: 'key_models_name', fields: ['name', 'id'] },
    ],
  },
);
