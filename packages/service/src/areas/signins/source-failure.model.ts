import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { fixedBytes, instant, integer } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Failures from one source. */
export class SourceFailure extends Model<InferAttributes<SourceFailure>, InferCreationAttributes<SourceFailure>> {
  declare source: Buffer;
  declare windowAt: Date;
  declare failures: number;
}

export const sourceFailures = tableOf(
  SourceFailure,
  'source_failures',
  {
    source: fixedBytes(16)({ key: true }),
    windowAt: instant(),
    failures: integer(),
  },
  {
    indexes: [{ name: 'source_failures_at', fields: ['window_at'] }],
  },
);
