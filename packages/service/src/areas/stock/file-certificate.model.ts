import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { ascii, id, instant, line, longText, sealed } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What the private key of a certificate is sealed to. */
export const certificateIdentity = (id: Id): string => `file-certificate/${id}`;

/** A certificate of ours that token files are encrypted to. */
export class FileCertificate extends Model<InferAttributes<FileCertificate>, InferCreationAttributes<FileCertificate>> {
  declare id: Id;
  declare label: string;
  declare certificate: string;
  declare fingerprint: string;
  declare privateSealed: Buffer | null;
  declare createdAt: Date;
  declare endsAt: Date;
  declare retiredAt: Date | null;
}

export const fileCertificates = tableOf(FileCertificate, 'file_certificates', {
  id: id({ key: true }),
  label: line(60)(),
  certificate: longText('text')(),
  fingerprint: ascii('varchar(100)', 'ascii_general_ci')(),
  privateSealed: sealed(4000, { purpose: 'seed', identity: certificateIdentity }).orNone(),
  createdAt: instant(),
  endsAt: instant(),
  retiredAt: instant.orNone(),
});
