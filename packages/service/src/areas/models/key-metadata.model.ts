import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { MetadataProblem } from '@nimble-latch/core/vocabulary';
import { claim, bigInteger, bytes, day, instant, integer, line, onlyRow, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Where metadata of models come from, and what was read last. */
export class KeyMetadata extends Model<InferAttributes<KeyMetadata>, InferCreationAttributes<KeyMetadata>> {
  declare id: number;
  declare root: Buffer | null;
  declare address: string | null;
  declare number: number | null;
  declare nextUpdate: string | null;
  declare entries: number | null;
  declare passedOver: number | null;
  declare readAt: Date | null;
  declare triedAt: Date | null;
  declare problem: MetadataProblem | 'unreachable' | null;
  declare version: CreationOptional<number>;
  declare claim: CreationOptional<number>;
}

export const keyMetadata = tableOf(KeyMetadata, 'key_metadata', {
  id: onlyRow({ key: true }),
  root: bytes('blob').orNone(),
  address: line(500).orNone(),
  number: bigInteger.orNone(),
  nextUpdate: day.orNone(),
  entries: integer.orNone(),
  passedOver: integer.orNone(),
  readAt: instant.orNone(),
  triedAt: instant.orNone(),
  problem: word<MetadataProblem | 'unreachable'>(40, 'ascii_general_ci').orNone(),
  version: integer({ first: 1 }),
  claim,
});
