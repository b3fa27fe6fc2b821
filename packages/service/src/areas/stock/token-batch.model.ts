import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, line } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Tokens that came together. */
export class TokenBatch extends Model<InferAttributes<TokenBatch>, InferCreationAttributes<TokenBatch>> {
  declare id: Id;
  declare name: string;
  declare createdAt: Date;
}

export const tokenBatches = tableOf(
  TokenBatch,
  'token_batches',
  {
    id: id({ key: true }),
    name: line(120)(),
    createdAt: instant(),
  },
  {
    indexes: [{ name: 'token_batches_name', fields: ['name'] }],
  },
);
