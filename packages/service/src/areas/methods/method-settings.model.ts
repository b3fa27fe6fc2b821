import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { claim, integer, json, onlyRow } from '../../platform/db/columns.js';
import type { MethodSettings } from '@nimble-latch/core/methods';
import { tableOf } from '../../platform/db/models.js';

/** The matrix of groups and methods. */
export class StoredMethods extends Model<InferAttributes<StoredMethods>, InferCreationAttributes<StoredMethods>> {
  declare id: number;
  declare data: MethodSettings;
  declare version: number;
  declare claim: CreationOptional<number>;
}

export const methodSettings = tableOf(StoredMethods, 'method_settings', {
  id: onlyRow({ key: true }),
  data: json<MethodSettings>('mediumtext')(),
  version: integer(),
  claim,
});
