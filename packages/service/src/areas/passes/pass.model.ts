import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, PassEnd, PassPurpose } from '@nimble-latch/core/vocabulary';
import { fixedBytes, flag, id, instant, integer, keyId, line, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What is said of a temporary pass beside the authenticator that it is; of what is typed only a hash is kept. */
export class Pass extends Model<InferAttributes<Pass>, InferCreationAttributes<Pass>> {
  declare authenticatorId: Id;
  declare purpose: PassPurpose;
  declare uses: CreationOptional<number>;
  declare usesMost: number;
  declare untilFactor: boolean;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare reason: string;
  declare givenBy: Id;
  declare givenAt: Date;
  declare endedWhy: CreationOptional<PassEnd | null>;
  /** When its end was carried out: it may have counted no more for some seconds before. */
  declare settledAt: CreationOptional<Date | null>;
  /** Who holds it for its person; null where that is the person themselves. */
  declare heldBy: CreationOptional<Id | null>;
  /** Until when the code is good that its holder was shown last; null where none is. */
  declare codeUntil: CreationOptional<Date | null>;
}

export const passes = tableOf(
  Pass,
  'passes',
  {
    authenticatorId: id({ key: true, of: { table: 'authenticators', gone: 'CASCADE' } }),
    purpose: word<PassPurpose>()(),
    uses: integer({ first: 0 }),
    usesMost: integer(),
    untilFactor: flag(),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    reason: line(200)(),
    givenBy: id(),
    givenAt: instant(),
    endedWhy: word<PassEnd>().orNone(),
    settledAt: instant.orNone(),
    heldBy: id.orNone(),
    codeUntil: instant.orNone(),
  },
  {
    indexes: [
      { name: 'passes_given_by', fields: ['given_by', 'given_at'] },
      { name: 'passes_held_by', fields: ['held_by'] },
      { name: 'passes_settled', fields: ['settled_at', 'ended_why'] },
    ],
  },
);
