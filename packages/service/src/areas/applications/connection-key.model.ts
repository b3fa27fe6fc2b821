import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { claim, fixedBytes, id, instant, keyId, line } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A key that a connection says who it is by; only its hash is kept. */
export class ConnectionKey extends Model<InferAttributes<ConnectionKey>, InferCreationAttributes<ConnectionKey>> {
  declare id: Id;
  declare connectionId: Id;
  declare hint: string;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare createdAt: Date;
  declare expiresAt: Date | null;
  declare lastUsedAt: Date | null;
  declare claim: CreationOptional<number>;
}

export const connectionKeys = tableOf(
  ConnectionKey,
  'connection_keys',
  {
    id: id({ key: true }),
    connectionId: id({ of: { table: 'connections', gone: 'CASCADE' } }),
    hint: line(20)(),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    createdAt: instant(),
    expiresAt: instant.orNone(),
    lastUsedAt: instant.orNone(),
    claim,
  },
  {
    indexes: [{ name: 'connection_keys_connection', fields: ['connection_id'] }],
  },
);
