import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { integer, longText, onlyRow } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** The matrix of groups and methods. */
export class StoredMethods extends Model<InferAttributes<StoredMethods>, InferCreationAttributes<StoredMethods>> {
  declare id: number;
  declare data: string;
  declare version: number;
}

export const methodSettings = tableOf(StoredMethods, 'method_settings', {
  id: onlyRow({ key: true }),
  data: longText('mediumtext')(),
  version: integer(),
});
