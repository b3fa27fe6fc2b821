import { Model, type InferAttributes, type InferCreationAttributes, type NonAttribute } from 'sequelize';
import type { Id, Permission } from '@nimble-latch/core/vocabulary';
import { fixedBytes, id, instant, keyId, line, words } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { persons, type Person } from '../people/person.model.js';

/** A token with which somebody (or their script) uses the interface; only its hash is kept. */
export class AccessToken extends Model<InferAttributes<AccessToken>, InferCreationAttributes<AccessToken>> {
  declare id: Id;
  declare personId: Id;
  declare label: string;
  declare hint: string;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare createdAt: Date;
  declare expiresAt: Date;
  declare lastUsedAt: Date | null;
  declare madeBy: Id | null;
  declare permissions: readonly Permission[] | null;
  declare person?: NonAttribute<Person>;
}

export const accessTokens = tableOf(
  AccessToken,
  'access_tokens',
  {
    id: id({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    label: line(60)(),
    hint: line(20)(),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    createdAt: instant(),
    expiresAt: instant(),
    lastUsedAt: instant.orNone(),
    madeBy: id.orNone(),
    permissions: words<Permission>(1000, 'ascii_general_ci').orNone(),
  },
  {
    indexes: [
      { name: 'access_tokens_expires', fields: ['expires_at'] },
      { name: 'access_tokens_made_by', fields: ['made_by'] },
      { name: 'access_tokens_person', fields: ['person_id'] },
    ],
    joins: (self, on) => void self.belongsTo(persons(on), { as: 'person', foreignKey: 'personId', constraints: false }),
  },
);
