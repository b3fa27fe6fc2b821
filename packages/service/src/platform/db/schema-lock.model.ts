import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { fixedBytes, instant, onlyRow } from './columns.js';
import { tableOf } from './models.js';

/** Who migrates. */
export class SchemaLock extends Model<InferAttributes<SchemaLock>, InferCreationAttributes<SchemaLock>> {
  declare id: number;
  declare holder: Buffer | null;
  declare untilAt: Date | null;
}

export const schemaLock = tableOf(SchemaLock, 'schema_lock', {
  id: onlyRow({ key: true }),
  holder: fixedBytes(16).orNone(),
  untilAt: instant.orNone(),
});
