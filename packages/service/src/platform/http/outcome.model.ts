import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { fixedBytes, instant, sealed } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** What a request with an idempotency key was answered. */
export class StoredOutcome extends Model<InferAttributes<StoredOutcome>, InferCreationAttributes<StoredOutcome>> {
  declare id: Buffer;
  declare request: Buffer;
  declare sealed: Buffer;
  declare expiresAt: Date;
}

export const outcomes = tableOf(
  StoredOutcome,
  'outcomes',
  {
    id: fixedBytes(32)({ key: true }),
    request: fixedBytes(32)(),
    sealed: sealed('mediumblob', { purpose: 'outcome' })(),
    expiresAt: instant(),
  },
  {
    indexes: [{ name: 'outcomes_expires', fields: ['expires_at'] }],
  },
);
