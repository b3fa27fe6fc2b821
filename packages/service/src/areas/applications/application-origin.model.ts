import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { claim, ascii, id } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** An origin of an application's own pages. */
export class ApplicationOrigin extends Model<
  InferAttributes<ApplicationOrigin>,
  InferCreationAttributes<ApplicationOrigin>
> {
  declare origin: string;
  declare applicationId: Id;
  declare claim: CreationOptional<number>;
}

export const applicationOrigins = tableOf(
  ApplicationOrigin,
  'application_origins',
  {
    origin: ascii('varchar(300)', 'ascii_bin')({ key: true }),
    applicationId: id({ of: { table: 'applications', gone: 'CASCADE' } }),
    claim,
  },
  {
    indexes: [{ name: 'application_origins_application', fields: ['application_id'] }],
  },
);
