import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { bigInteger, id, instant, integer, line, longText } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** The seal over a run of one writer's entries. */
export class TrailSeal extends Model<InferAttributes<TrailSeal>, InferCreationAttributes<TrailSeal>> {
  declare writer: Id;
  declare seal: number;
  declare toNumber: number;
  declare body: string;
  declare signature: string;
  declare sealedAt: Date;
}

export const trailSeals = tableOf(
  TrailSeal,
  'trail_seals',
  {
    writer: id({ key: true }),
    seal: integer({ key: true }),
    toNumber: bigInteger(),
    body: longText('text')(),
    signature: line(100)(),
    sealedAt: instant(),
  },
  {
    indexes: [{ name: 'seals_at', fields: ['sealed_at'] }],
  },
);
