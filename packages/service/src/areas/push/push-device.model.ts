import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { ascii, bytes, fixedBytes, flag, id, instant, keyId, unsignedBigInteger } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What is said of a phone that approves, beside the authenticator that it is: its public key, or the code by which it is to bring one. */
export class PushDevice extends Model<InferAttributes<PushDevice>, InferCreationAttributes<PushDevice>> {
  declare authenticatorId: Id;
  declare keyX: CreationOptional<Buffer | null>;
  declare keyY: CreationOptional<Buffer | null>;
  declare thumbprint: CreationOptional<Buffer | null>;
  declare hash: Buffer | null;
  declare hashKeyId: Id | null;
  declare codeUntil: Date | null;
  /** When it last asked what waits for it. */
  declare seenAt: CreationOptional<Date | null>;
  declare answeredAt: CreationOptional<Date | null>;
  /** The authenticator of codes that was made with it, until it is in use; and whether the phone has shown that it has its key. */
  declare codesId: CreationOptional<Id | null>;
  declare codesProved: CreationOptional<boolean>;
  /** The credential by which the phone verifies its holder: made with the first answer, used with each approval after it. */
  declare unlockId: CreationOptional<Buffer | null>;
  declare unlockKey: CreationOptional<Buffer | null>;
  declare unlockCount: CreationOptional<number | null>;
  /** Its maker may keep it on several devices of the same person. */
  declare unlockSynced: CreationOptional<boolean | null>;
  declare unlockRpId: CreationOptional<string | null>;
  /** Since when it asks by a page that is not the one of now. */
  declare outdatedAt: CreationOptional<Date | null>;
}

export const pushDevices = tableOf(
  PushDevice,
  'push_devices',
  {
    authenticatorId: id({ key: true, of: { table: 'authenticators', gone: 'CASCADE' } }),
    keyX: fixedBytes(32).orNone(),
    keyY: fixedBytes(32).orNone(),
    thumbprint: fixedBytes(32).orNone(),
    hash: fixedBytes(32).orNone(),
    hashKeyId: keyId('verify').orNone(),
    codeUntil: instant.orNone(),
    seenAt: instant.orNone(),
    answeredAt: instant.orNone(),
    codesId: id.orNone(),
    codesProved: flag({ first: false }),
    unlockId: bytes(1023).orNone(),
    unlockKey: bytes(1100).orNone(),
    unlockCount: unsignedBigInteger.orNone(),
    unlockSynced: flag.orNone(),
    unlockRpId: ascii('varchar(253)', 'ascii_general_ci').orNone(),
    outdatedAt: instant.orNone(),
  },
  {
    indexes: [
      { name: 'push_devices_thumbprint', fields: ['thumbprint'], unique: true },
      { name: 'push_devices_seen', fields: ['seen_at'] },
      { name: 'push_devices_outdated', fields: ['outdated_at'] },
    ],
  },
);
