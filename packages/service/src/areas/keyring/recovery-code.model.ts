import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { fixedBytes, id, instant, integer, keyId } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What a recovery code is bound to, so that a hash of one is of use at no other. */
export const recoveryIdentity = (set: Id, number: number): string => `recovery ${set} ${number}`;

/** One recovery code of a set, which is an authenticator; only a hash of it is kept. */
export class RecoveryCode extends Model<InferAttributes<RecoveryCode>, InferCreationAttributes<RecoveryCode>> {
  declare authenticatorId: Id;
  /** Its place in the set, from 1. */
  declare number: number;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare usedAt: CreationOptional<Date | null>;
}

export const recoveryCodes = tableOf(RecoveryCode, 'recovery_codes', {
  authenticatorId: id({ key: true, of: { table: 'authenticators', gone: 'CASCADE' } }),
  number: integer({ key: true }),
  hash: fixedBytes(32)(),
  hashKeyId: keyId('verify')(),
  usedAt: instant.orNone(),
});
