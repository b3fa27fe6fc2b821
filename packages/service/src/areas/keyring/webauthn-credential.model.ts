import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, KeyTrust } from '@nimble-latch/core/vocabulary';
import {
  ascii,
  bytes,
  fixedBytes,
  flag,
  id,
  instant,
  integer,
  unsignedBigInteger,
  word,
} from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** The public key of an authenticator of WebAuthn, and what is known of it. */
export class WebauthnCredential extends Model<
  InferAttributes<WebauthnCredential>,
  InferCreationAttributes<WebauthnCredential>
> {
  declare authenticatorId: Id;
  declare credentialId: Buffer;
  declare publicKey: Buffer;
  declare algorithm: number;
  declare signCount: number;
  declare backupEligible: boolean;
  declare backedUp: boolean;
  declare aaguid: Buffer;
  declare transports: string;
  declare discoverable: boolean | null;
  declare rpId: string;
  declare attestation: string;
  declare copiedAt: Date | null;
  declare parked: CreationOptional<boolean>;
  declare appId: string | null;
  declare modelId: Buffer | null;
  declare trust: CreationOptional<KeyTrust>;
  declare userHandle: Buffer | null;
}

export const webauthnCredentials = tableOf(
  WebauthnCredential,
  'webauthn_credentials',
  {
    authenticatorId: id({ key: true, of: { table: 'authenticators', gone: 'CASCADE' } }),
    credentialId: bytes(1023)(),
    publicKey: bytes(1100)(),
    algorithm: integer(),
    signCount: unsignedBigInteger(),
    backupEligible: flag(),
    backedUp: flag(),
    aaguid: fixedBytes(16)(),
    transports: ascii('varchar(200)', 'ascii_general_ci')(),
    discoverable: flag.orNone(),
    rpId: ascii('varchar(253)', 'ascii_general_ci')(),
    attestation: ascii('varchar(40)', 'ascii_general_ci')(),
    copiedAt: instant.orNone(),
    parked: flag({ first: false }),
    appId: ascii('varchar(512)', 'ascii_general_ci').orNone(),
    modelId: fixedBytes(16).orNone(),
    trust: word<KeyTrust>(10, 'ascii_general_ci')({ first: 'none' }),
    userHandle: bytes(64).orNone(),
  },
  {
    indexes: [
      { name: 'webauthn_credentials_copied', fields: ['copied_at'] },
      { name: 'webauthn_credentials_id', fields: ['credential_id'], unique: true },
      { name: 'webauthn_credentials_model', fields: ['model_id'] },
      { name: 'webauthn_credentials_rp', fields: ['rp_id'] },
    ],
  },
);
