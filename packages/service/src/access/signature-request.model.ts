import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, Permission, SignatureState, SignedAction } from '@nimble-latch/core/vocabulary';
import { ascii, fixedBytes, id, instant, line, longText, word } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** A countersignature that was asked for. */
export class SignatureRequest extends Model<
  InferAttributes<SignatureRequest>,
  InferCreationAttributes<SignatureRequest>
> {
  declare id: Id;
  declare action: SignedAction;
  declare permission: Permission;
  declare askedIndex: Buffer;
  declare consequence: string;
  declare personId: Id | null;
  declare askedBy: Id;
  declare askedFrom: string | null;
  declare state: SignatureState;
  declare askedAt: Date;
  declare expiresAt: Date;
  declare decidedBy: Id | null;
  declare decidedAt: Date | null;
  declare reason: string | null;
  declare matter: string | null;
  declare boundIndex: Buffer | null;
  declare ground: string | null;
}

export const signatureRequests = tableOf(
  SignatureRequest,
  'signature_requests',
  {
    id: id({ key: true }),
    action: word<SignedAction>()(),
    permission: word<Permission>()(),
    askedIndex: fixedBytes(32)(),
    consequence: longText('text')(),
    personId: id.orNone(),
    askedBy: id(),
    askedFrom: line(45).orNone(),
    state: word<SignatureState>()(),
    askedAt: instant(),
    expiresAt: instant(),
    decidedBy: id.orNone(),
    decidedAt: instant.orNone(),
    reason: line(200).orNone(),
    matter: longText('mediumtext').orNone(),
    boundIndex: fixedBytes(32).orNone(),
    ground: ascii('varchar(20)', 'ascii_general_ci').orNone(),
  },
  {
    indexes: [
      { name: 'signature_requests_asked', fields: ['asked_by', 'asked_index'] },
      { name: 'signature_requests_state', fields: ['state', 'id'] },
    ],
  },
);
