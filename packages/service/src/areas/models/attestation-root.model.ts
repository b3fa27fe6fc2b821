import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { bytes, fixedBytes, id, instant, line } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A maker's certificate that is trusted here. */
export class AttestationRoot extends Model<InferAttributes<AttestationRoot>, InferCreationAttributes<AttestationRoot>> {
  declare id: Id;
  declare name: string;
  declare der: Buffer;
  declare fingerprint: Buffer;
  declare createdAt: Date;
}

export const attestationRoots = tableOf(
  AttestationRoot,
  'attestation_roots',
  {
    id: id({ key: true }),
    name: line(120)(),
    der: bytes('blob')(),
    fingerprint: fixedBytes(32)(),
    createdAt: instant(),
  },
  {
    indexes: [{ name: 'attestation_roots_fingerprint', fields: ['fingerprint'], unique: true }],
  },
);
