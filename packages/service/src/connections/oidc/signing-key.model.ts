import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, TokenAlgorithm } from '@nimble-latch/core/vocabulary';
import { id, instant, longText, sealed, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A key that ID tokens are signed with. */
export class SigningKey extends Model<InferAttributes<SigningKey>, InferCreationAttributes<SigningKey>> {
  declare id: Id;
  declare algorithm: TokenAlgorithm;
  declare activeFor: TokenAlgorithm | null;
  declare publicJwk: string;
  declare privateSealed: Buffer;
  declare createdAt: Date;
  declare activeAt: Date | null;
  declare retiredAt: Date | null;
}

export const signingKeys = tableOf(
  SigningKey,
  'signing_keys',
  {
    id: id({ key: true }),
    algorithm: word<TokenAlgorithm>()(),
    activeFor: word<TokenAlgorithm>().orNone(),
    publicJwk: longText('text')(),
    privateSealed: sealed('blob', { purpose: 'token', identity: (id) => `signing-key/${id}` })(),
    createdAt: instant(),
    activeAt: instant.orNone(),
    retiredAt: instant.orNone(),
  },
  {
    indexes: [{ name: 'signing_keys_active', fields: ['active_for'], unique: true }],
  },
);
