import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { ascii, fixedBytes, id, instant, keyId, line, longText } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A code of OpenID Connect, and the access token that it became. */
export class OidcGrant extends Model<InferAttributes<OidcGrant>, InferCreationAttributes<OidcGrant>> {
  declare id: Id;
  declare connectionId: Id;
  declare personId: Id;
  declare signInId: Id;
  declare codeHash: Buffer;
  declare hashKeyId: Id;
  declare redirectUri: string;
  declare challenge: string;
  declare data: string;
  declare expiresAt: Date;
  declare usedAt: Date | null;
  declare tokenHash: Buffer | null;
  declare tokenKeyId: Id | null;
  declare tokenExpiresAt: Date | null;
}

export const oidcGrants = tableOf(
  OidcGrant,
  'oidc_grants',
  {
    id: id({ key: true }),
    connectionId: id({ of: { table: 'connections', gone: 'CASCADE' } }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    signInId: id(),
    codeHash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    redirectUri: line(500)(),
    challenge: ascii('char(43)', 'ascii_bin')(),
    data: longText('text')(),
    expiresAt: instant(),
    usedAt: instant.orNone(),
    tokenHash: fixedBytes(32).orNone(),
    tokenKeyId: keyId('verify').orNone(),
    tokenExpiresAt: instant.orNone(),
  },
  {
    indexes: [
      { name: 'oidc_grants_connection_fk', fields: ['connection_id'] },
      { name: 'oidc_grants_expires', fields: ['expires_at'] },
      { name: 'oidc_grants_person', fields: ['person_id'] },
    ],
  },
);
