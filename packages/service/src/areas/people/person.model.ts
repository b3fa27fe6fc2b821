import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type NonAttribute,
} from 'sequelize';
import type { Coverage, Id, PersonState, Seen, Source } from '@nimble-latch/core/vocabulary';
import {
  claim,
  exactLine,
  fixedBytes,
  flag,
  id,
  instant,
  integer,
  line,
  sealed,
  word,
} from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { loginNames, type LoginName } from './login-name.model.js';

/** Somebody who signs in. */
export class Person extends Model<InferAttributes<Person>, InferCreationAttributes<Person>> {
  declare id: Id;
  declare displayName: string;
  declare state: PersonState;
  declare source: Source;
  declare mailSealed: Buffer | null;
  declare mailIndex: Buffer | null;
  declare phoneSealed: Buffer | null;
  declare phoneIndex: Buffer | null;
  declare language: string;
  declare timeZone: string;
  declare version: CreationOptional<number>;
  declare createdAt: Date;
  declare updatedAt: Date;
  declare nameKey: CreationOptional<string>;
  declare coverage: CreationOptional<Coverage>;
  declare seen: CreationOptional<Seen>;
  declare lastSeenAt: Date | null;
  declare emergency: CreationOptional<boolean>;
  declare userHandle: Buffer | null;
  declare claim: CreationOptional<number>;
  declare loginNames?: NonAttribute<LoginName[]>;
}

export const persons = tableOf(
  Person,
  'persons',
  {
    id: id({ key: true }),
    displayName: line(120)(),
    state: word<PersonState>()(),
    source: word<Source>()(),
    mailSealed: sealed(400, {
      purpose: 'contact',
      identity: (id) => `person/${id}/mail`,
      index: { column: 'mail_index', field: 'mail' },
    }).orNone(),
    mailIndex: fixedBytes(32).orNone(),
    phoneSealed: sealed(200, {
      purpose: 'contact',
      identity: (id) => `person/${id}/phone`,
      index: { column: 'phone_index', field: 'phone' },
    }).orNone(),
    phoneIndex: fixedBytes(32).orNone(),
    language: word()(),
    timeZone: line(60)(),
    version: integer({ first: 1 }),
    createdAt: instant(),
    updatedAt: instant(),
    nameKey: exactLine(60)({ first: '' }),
    coverage: word<Coverage>()({ first: 'nothing' }),
    seen: word<Seen>()({ first: 'never' }),
    lastSeenAt: instant.orNone(),
    emergency: flag({ first: false }),
    userHandle: fixedBytes(32).orNone(),
    claim,
  },
  {
    indexes: [
      { name: 'persons_by_coverage', fields: ['coverage', 'name_key', 'id'] },
      { name: 'persons_by_name', fields: ['name_key', 'id'] },
      { name: 'persons_by_seen', fields: ['seen', 'name_key', 'id'] },
      { name: 'persons_by_source', fields: ['source', 'name_key', 'id'] },
      { name: 'persons_by_state', fields: ['state', 'name_key', 'id'] },
      { name: 'persons_emergency', fields: ['emergency', 'id'] },
      { name: 'persons_last_seen', fields: ['seen', 'last_seen_at'] },
      { name: 'persons_mail', fields: ['mail_index'] },
      { name: 'persons_name', fields: ['display_name', 'id'] },
      { name: 'persons_phone', fields: ['phone_index'] },
      { name: 'persons_user_handle', fields: ['user_handle'], unique: true },
    ],
    joins: (self, on) =>
      void self.hasMany(loginNames(on), { as: 'loginNames', foreignKey: 'personId', constraints: false }),
  },
);
