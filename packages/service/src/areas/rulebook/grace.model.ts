import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, line } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** When somebody's days without a factor began, by rule. */
export class Grace extends Model<InferAttributes<Grace>, InferCreationAttributes<Grace>> {
  declare personId: Id;
  declare rule: string;
  declare begunAt: Date;
  /** How often they put enrolling off. */
  declare putOff: CreationOptional<number>;
}

export const graces = tableOf(Grace, 'graces', {
  personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
  rule: line(120)({ key: true }),
  begunAt: instant(),
  putOff: integer({ first: 0 }),
});
