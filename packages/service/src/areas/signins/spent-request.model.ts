import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A sealed request that was answered, until it ends by itself. */
export class SpentRequest extends Model<InferAttributes<SpentRequest>, InferCreationAttributes<SpentRequest>> {
  declare id: Id;
  declare expiresAt: Date;
}

export const spentRequests = tableOf(
  SpentRequest,
  'spent_requests',
  {
    id: id({ key: true }),
    expiresAt: instant(),
  },
  {
    indexes: [{ name: 'spent_requests_expires', fields: ['expires_at'] }],
  },
);
