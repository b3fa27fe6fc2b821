import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { claim, integer, json, onlyRow } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** The settings of the organisation, as they were written: read through their schema (settings-cache.ts). */
export class StoredSettings extends Model<InferAttributes<StoredSettings>, InferCreationAttributes<StoredSettings>> {
  declare id: number;
  declare data: object;
  declare version: CreationOptional<number>;
  declare claim: CreationOptional<number>;
}

export const storedSettings = tableOf(StoredSettings, 'settings', {
  id: onlyRow({ key: true }),
  data: json<object>('text')(),
  version: integer({ first: 1 }),
  claim,
});
