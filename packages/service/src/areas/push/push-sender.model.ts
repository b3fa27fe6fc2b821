import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { fixedBytes, id, instant, onlyRow, sealed } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

export const senderIdentity = (sender: Id): string => `push-sender/${sender}`;

/** The key by which this installation says to push services who it is (RFC 8292); subscriptions are made for it, so it stays. */
export class PushSender extends Model<InferAttributes<PushSender>, InferCreationAttributes<PushSender>> {
  declare id: Id;
  declare onlyOne: number;
  /** An uncompressed point of P-256 (RFC 8292 §3.2). */
  declare publicKey: Buffer;
  declare privateSealed: Buffer;
  declare createdAt: Date;
}

export const pushSenders = tableOf(
  PushSender,
  'push_senders',
  {
    id: id({ key: true }),
    onlyOne: onlyRow(),
    publicKey: fixedBytes(65)(),
    privateSealed: sealed('blob', { purpose: 'token', identity: senderIdentity })(),
    createdAt: instant(),
  },
  { indexes: [{ name: 'push_senders_only_one', fields: ['only_one'], unique: true }] },
);
