import { Model, type InferAttributes, type InferCreationAttributes, type NonAttribute } from 'sequelize';
import { fixedBytes } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { keyModels, type KeyModel } from './key-model.model.js';

/** A certificate's key by which a model of FIDO U2F is known. */
export class KeyModelIdentifier extends Model<
  InferAttributes<KeyModelIdentifier>,
  InferCreationAttributes<KeyModelIdentifier>
> {
  declare identifier: Buffer;
  declare modelId: Buffer;
  declare model?: NonAttribute<KeyModel>;
}

export const keyModelIdentifiers = tableOf(
  KeyModelIdentifier,
  'key_model_identifiers',
  {
    identifier: fixedBytes(20)({ key: true }),
    modelId: fixedBytes(16)({ of: { table: 'key_models', gone: 'CASCADE' } }),
  },
  {
    joins: (self, on) => void self.belongsTo(keyModels(on), { as: 'model', foreignKey: 'modelId', constraints: false }),
    indexes: [{ name: 'key_model_identifiers_fk', fields: ['model_id'] }],
  },
);
