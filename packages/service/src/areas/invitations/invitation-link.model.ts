import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { ascii, fixedBytes, id, instant, integer, keyId } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What opens an invitation: each letter and each reminder has one of its own, of which a hash is kept. */
export class InvitationLink extends Model<InferAttributes<InvitationLink>, InferCreationAttributes<InvitationLink>> {
  declare invitationId: Id;
  declare number: number;
  declare locator: string;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare madeAt: Date;
}

export const invitationLinks = tableOf(
  InvitationLink,
  'invitation_links',
  {
    invitationId: id({ key: true, of: { table: 'invitations', gone: 'CASCADE' } }),
    number: integer({ key: true }),
    locator: ascii('char(8)', 'ascii_bin')(),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    madeAt: instant(),
  },
  { indexes: [{ name: 'invitation_links_locator', fields: ['locator'], unique: true }] },
);
