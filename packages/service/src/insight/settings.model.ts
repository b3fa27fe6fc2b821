import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { integer, longText, onlyRow } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** The settings of the organisation. */
export class StoredSettings extends Model<InferAttributes<StoredSettings>, InferCreationAttributes<StoredSettings>> {
  declare id: number;
  declare data: string;
  declare version: CreationOptional<number>;
}

export const settings = tableOf(StoredSettings, 'settings', {
  id: onlyRow({ key: true }),
  data: longText('text')(),
  version: integer({ first: 1 }),
});
