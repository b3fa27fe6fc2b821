import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { fixedBytes, id, instant, keyId } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A browser that has been here, by its cookie. */
export class Browser extends Model<InferAttributes<Browser>, InferCreationAttributes<Browser>> {
  declare id: Id;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare createdAt: Date;
  declare seenAt: Date;
}

export const browsers = tableOf(
  Browser,
  'browsers',
  {
    id: id({ key: true }),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    createdAt: instant(),
    seenAt: instant(),
  },
  {
    indexes: [{ name: 'browsers_seen', fields: ['seen_at'] }],
  },
);
