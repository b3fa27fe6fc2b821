import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { instant, line } from './columns.js';
import { tableOf } from './models.js';

/** A step of the schema that was taken. */
export class SchemaMigration extends Model<InferAttributes<SchemaMigration>, InferCreationAttributes<SchemaMigration>> {
  declare name: string;
  declare appliedAt: Date;
}

export const schemaMigrations = tableOf(SchemaMigration, 'schema_migrations', {
  name: line(80)({ key: true }),
  appliedAt: instant(),
});
