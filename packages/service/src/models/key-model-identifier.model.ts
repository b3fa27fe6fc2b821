import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { fixedBytes } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** A certificate's key by which a model of FIDO U2F is known. */
export class KeyModelIdentifier extends Model<
  InferAttributes<KeyModelIdentifier>,
  InferCreationAttributes<KeyModelIdentifier>
> {
  declare identifier: Buffer;
  declare modelId: Buffer;
}

export const keyModelIdentifiers = tableOf(
  KeyModelIdentifier,
  'key_model_identifiers',
  {
    identifier: fixedBytes(20)({ key: true }),
    modelId: fixedBytes(16)({ of: { table: 'key_models', gone: 'CASCADE' } }),
  },
  {
    indexes: [{ name: 'key_model_identifiers_fk', fields: ['model_id'] }],
  },
);
