import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { fixedBytes, id, instant } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A source from which somebody has signed in before. */
export class FamiliarSource extends Model<InferAttributes<FamiliarSource>, InferCreationAttributes<FamiliarSource>> {
  declare personId: Id;
  declare source: Buffer;
  declare lastAt: Date;
}

export const familiarSources = tableOf(FamiliarSource, 'familiar_sources', {
  personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
  source: fixedBytes(16)({ key: true }),
  lastAt: instant(),
});
