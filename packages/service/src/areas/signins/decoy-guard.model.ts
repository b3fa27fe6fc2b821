import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { fixedBytes, instant, integer } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Failures against a name that nobody has: the same pauses as for one that somebody has. */
export class DecoyGuard extends Model<InferAttributes<DecoyGuard>, InferCreationAttributes<DecoyGuard>> {
  declare id: Buffer;
  declare failures: number;
  declare pausedUntil: Date | null;
  declare touchedAt: Date;
}

export const decoyGuards = tableOf(
  DecoyGuard,
  'decoy_guards',
  {
    id: fixedBytes(16)({ key: true }),
    failures: integer(),
    pausedUntil: instant.orNone(),
    touchedAt: instant(),
  },
  {
    indexes: [{ name: 'decoy_guards_touched', fields: ['touched_at'] }],
  },
);
