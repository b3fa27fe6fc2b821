import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { DisputeEffect, Id, NoticeKind } from '@nimble-latch/core/vocabulary';
import { ascii, fixedBytes, id, instant, keyId, line, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A change that somebody was told of, and may say was not them; of what opens it only a hash is kept. */
export class ChangeNotice extends Model<InferAttributes<ChangeNotice>, InferCreationAttributes<ChangeNotice>> {
  declare id: Id;
  declare personId: Id;
  declare kind: NoticeKind;
  /** The authenticator or invitation that was changed; null where it was neither. */
  declare aboutId: Id | null;
  declare label: string;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare at: Date;
  declare until: Date;
  declare disputedAt: CreationOptional<Date | null>;
  /** The address that it was disputed from. */
  declare disputedFrom: CreationOptional<string | null>;
  declare effect: CreationOptional<DisputeEffect | null>;
  declare settledAt: CreationOptional<Date | null>;
  declare settledBy: CreationOptional<Id | null>;
  declare settledWhy: CreationOptional<string | null>;
}

export const changeNotices = tableOf(
  ChangeNotice,
  'change_notices',
  {
    id: id({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    kind: word<NoticeKind>()(),
    aboutId: id.orNone(),
    label: line(60)(),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    at: instant(),
    until: instant(),
    disputedAt: instant.orNone(),
    disputedFrom: ascii('varchar(45)', 'ascii_bin').orNone(),
    effect: word<DisputeEffect>().orNone(),
    settledAt: instant.orNone(),
    settledBy: id.orNone(),
    settledWhy: line(200).orNone(),
  },
  {
    indexes: [
      { name: 'change_notices_disputed', fields: ['disputed_at', 'settled_at'] },
      { name: 'change_notices_person', fields: ['person_id', 'id'] },
      { name: 'change_notices_until', fields: ['until'] },
    ],
  },
);
