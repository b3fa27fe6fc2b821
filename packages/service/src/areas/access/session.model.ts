import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type NonAttribute,
} from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { claim, fixedBytes, flag, id, instant, keyId } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { persons, type Person } from '../people/person.model.js';

/** Somebody signed in to the console. */
export class Session extends Model<InferAttributes<Session>, InferCreationAttributes<Session>> {
  declare id: Id;
  declare personId: Id;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare byLink: boolean;
  declare createdAt: Date;
  declare provedAt: Date;
  declare seenAt: Date;
  declare expiresAt: Date;
  declare claim: CreationOptional<number>;
  declare person?: NonAttribute<Person>;
}

export const sessions = tableOf(
  Session,
  'sessions',
  {
    id: id({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    byLink: flag(),
    createdAt: instant(),
    provedAt: instant(),
    seenAt: instant(),
    expiresAt: instant(),
    claim,
  },
  {
    indexes: [
      { name: 'sessions_expires', fields: ['expires_at'] },
      { name: 'sessions_person', fields: ['person_id'] },
    ],
    joins: (self, on) => void self.belongsTo(persons(on), { as: 'person', foreignKey: 'personId', constraints: false }),
  },
);
