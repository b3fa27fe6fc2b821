import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, Method, TokenState } from '@nimble-latch/core/vocabulary';
import {
  claim,
  ascii,
  bigInteger,
  exactLine,
  flag,
  id,
  instant,
  integer,
  line,
  sealed,
  word,
} from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What a token's secret is sealed to. */
export const tokenIdentity = (id: Id): string => `token/${id}/secret`;

/** A hardware token, from the box to its end. */
export class Token extends Model<InferAttributes<Token>, InferCreationAttributes<Token>> {
  declare id: Id;
  declare serial: string;
  declare serialKey: string;
  declare maker: string;
  declare makerKey: string;
  declare model: string;
  declare batchId: Id | null;
  declare method: Method;
  declare parameters: string;
  declare secretSealed: Buffer | null;
  declare lastStep: number | null;
  declare drift: CreationOptional<number>;
  declare startsOn: string | null;
  declare expiresOn: string | null;
  declare state: TokenState;
  declare personId: Id | null;
  declare authenticatorId: Id | null;
  declare sentTo: string | null;
  declare arrived: CreationOptional<boolean>;
  declare createdAt: Date;
  declare changedAt: Date;
  declare failures: CreationOptional<number>;
  declare pausedUntil: Date | null;
  declare claim: CreationOptional<number>;
}

export const tokens = tableOf(
  Token,
  'tokens',
  {
    id: id({ key: true }),
    serial: line(60)(),
    serialKey: ascii('varchar(60)', 'ascii_bin')(),
    maker: line(60)(),
    makerKey: exactLine(60)(),
    model: line(60)(),
    batchId: id.orNone({ of: { table: 'token_batches', gone: 'SET NULL' } }),
    method: word<Method>()(),
    parameters: line(400)(),
    secretSealed: sealed(400, { purpose: 'seed', identity: tokenIdentity }).orNone(),
    lastStep: bigInteger.orNone(),
    drift: integer({ first: 0 }),
    startsOn: ascii('char(10)', 'ascii_general_ci').orNone(),
    expiresOn: ascii('char(10)', 'ascii_general_ci').orNone(),
    state: word<TokenState>()(),
    personId: id.orNone({ of: { table: 'persons', gone: 'SET NULL' } }),
    authenticatorId: id.orNone({ of: { table: 'authenticators', gone: 'SET NULL' } }),
    sentTo: line(200).orNone(),
    arrived: flag({ first: false }),
    createdAt: instant(),
    changedAt: instant(),
    failures: integer({ first: 0 }),
    pausedUntil: instant.orNone(),
    claim,
  },
  {
    indexes: [
      { name: 'tokens_authenticator', fields: ['authenticator_id'], unique: true },
      { name: 'tokens_batch', fields: ['batch_id', 'state', 'serial_key'] },
      { name: 'tokens_expires', fields: ['state', 'expires_on'] },
      { name: 'tokens_person', fields: ['person_id'] },
      { name: 'tokens_serial', fields: ['serial_key', 'maker_key'], unique: true },
      { name: 'tokens_state', fields: ['state', 'serial_key'] },
    ],
  },
);
