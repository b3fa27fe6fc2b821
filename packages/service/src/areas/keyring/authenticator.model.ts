import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { AuthenticatorState, Id, Method } from '@nimble-latch/core/vocabulary';
import { claim, bigInteger, day, flag, id, instant, integer, line, sealed, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What a PIN's hash is sealed to. */
export const pinIdentity = (id: Id): string => `authenticator/${id}/pin`;

/** One thing that proves, bound to one person. */
export class Authenticator extends Model<InferAttributes<Authenticator>, InferCreationAttributes<Authenticator>> {
  declare id: Id;
  declare personId: Id;
  declare carrierId: Id | null;
  declare method: Method;
  declare state: AuthenticatorState;
  declare label: string;
  declare parameters: string;
  declare secretSealed: Buffer | null;
  declare passwordOf: Id | null;
  declare lastStep: number | null;
  declare drift: CreationOptional<number>;
  declare lastUsedAt: Date | null;
  declare familiarFailures: CreationOptional<number>;
  declare familiarPausedUntil: Date | null;
  declare strangerFailures: CreationOptional<number>;
  declare strangerPausedUntil: Date | null;
  /** The sign-in by whose right its person enrolled it; null where somebody else did. */
  declare enrolledIn: CreationOptional<Id | null>;
  declare createdAt: Date;
  declare activatedAt: Date | null;
  declare endedAt: Date | null;
  declare preferred: CreationOptional<boolean>;
  declare hardware: CreationOptional<boolean>;
  declare pinSealed: Buffer | null;
  declare pinGiven: CreationOptional<boolean>;
  declare restricted: CreationOptional<boolean>;
  declare lastUsedIn: Id | null;
  declare expiresOn: string | null;
  declare verified: CreationOptional<boolean>;
  declare deviceBound: CreationOptional<boolean>;
  declare validFrom: CreationOptional<Date | null>;
  declare validUntil: CreationOptional<Date | null>;
  declare claim: CreationOptional<number>;
}

export const authenticators = tableOf(
  Authenticator,
  'authenticators',
  {
    id: id({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    carrierId: id.orNone({ of: { table: 'carriers', gone: 'SET NULL' } }),
    method: word<Method>()(),
    state: word<AuthenticatorState>()(),
    label: line(60)(),
    parameters: line(400)(),
    secretSealed: sealed(700, { purpose: 'seed', identity: (id) => `authenticator/${id}/secret` }).orNone(),
    passwordOf: id.orNone(),
    lastStep: bigInteger.orNone(),
    drift: integer({ first: 0 }),
    lastUsedAt: instant.orNone(),
    familiarFailures: integer({ first: 0 }),
    familiarPausedUntil: instant.orNone(),
    strangerFailures: integer({ first: 0 }),
    strangerPausedUntil: instant.orNone(),
    enrolledIn: id.orNone(),
    createdAt: instant(),
    activatedAt: instant.orNone(),
    endedAt: instant.orNone(),
    preferred: flag({ first: false }),
    hardware: flag({ first: false }),
    pinSealed: sealed(400, { purpose: 'seed', identity: pinIdentity }).orNone(),
    pinGiven: flag({ first: false }),
    restricted: flag({ first: false }),
    lastUsedIn: id.orNone(),
    expiresOn: day.orNone(),
    verified: flag({ first: false }),
    deviceBound: flag({ first: false }),
    validFrom: instant.orNone(),
    validUntil: instant.orNone(),
    claim,
  },
  {
    indexes: [
      { name: 'authenticators_carrier_fk', fields: ['carrier_id'] },
      { name: 'authenticators_expires', fields: ['expires_on'] },
      { name: 'authenticators_familiar_pause', fields: ['familiar_paused_until'] },
      { name: 'authenticators_password', fields: ['password_of'], unique: true },
      { name: 'authenticators_person', fields: ['person_id', 'state'] },
      { name: 'authenticators_valid_until', fields: ['valid_until'] },
      { name: 'authenticators_stranger_pause', fields: ['stranger_paused_until'] },
    ],
  },
);
