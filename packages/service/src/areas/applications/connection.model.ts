import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type NonAttribute,
} from 'sequelize';
import type { Claim, ConnectionKind, Id, Scope } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, json, line, word, words } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import type { KeptParameters } from './connection-handling.js';
import { connectionKeys, type ConnectionKey } from './connection-key.model.js';

/** How an application asks. */
export class Connection extends Model<InferAttributes<Connection>, InferCreationAttributes<Connection>> {
  declare id: Id;
  declare applicationId: Id;
  declare kind: ConnectionKind;
  declare label: string;
  declare scopes: readonly Scope[];
  declare claims: readonly Claim[];
  declare version: CreationOptional<number>;
  declare createdAt: Date;
  declare parameters: KeptParameters;
  declare keys?: NonAttribute<ConnectionKey[]>;
}

export const connections = tableOf(
  Connection,
  'connections',
  {
    id: id({ key: true }),
    applicationId: id({ of: { table: 'applications', gone: 'CASCADE' } }),
    kind: word<ConnectionKind>()(),
    label: line(60)(),
    scopes: words<Scope>(200)(),
    claims: words<Claim>(200)(),
    version: integer({ first: 1 }),
    createdAt: instant(),
    parameters: json<object>('text').orNone(),
  },
  {
    indexes: [{ name: 'connections_application', fields: ['application_id'] }],
    joins: (self, on) =>
      void self.hasMany(connectionKeys(on), { as: 'keys', foreignKey: 'connectionId', constraints: false }),
  },
);
