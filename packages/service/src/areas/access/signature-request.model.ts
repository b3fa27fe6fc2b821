import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type NonAttribute,
} from 'sequelize';
import type { Id, Permission, SignatureState, SignedAction } from '@nimble-latch/core/vocabulary';
import { claim, fixedBytes, id, instant, json, line, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import type { Consequence, Ground, Matter } from './countersign.js';
import { persons, type Person } from '../people/person.model.js';

/** A countersignature that was asked for. */
export class SignatureRequest extends Model<
  InferAttributes<SignatureRequest>,
  InferCreationAttributes<SignatureRequest>
> {
  declare id: Id;
  declare action: SignedAction;
  declare permission: Permission;
  declare askedIndex: Buffer;
  declare consequence: Consequence;
  declare personId: Id | null;
  declare askedBy: Id;
  declare askedFrom: string | null;
  declare state: SignatureState;
  declare askedAt: Date;
  declare expiresAt: Date;
  declare decidedBy: Id | null;
  declare decidedAt: Date | null;
  declare reason: string | null;
  declare matter: Matter | null;
  declare boundIndex: Buffer | null;
  declare ground: Ground | null;
  declare claim: CreationOptional<number>;
  declare person?: NonAttribute<Person | null>;
  declare asker?: NonAttribute<Person | null>;
  declare decider?: NonAttribute<Person | null>;
}

export const signatureRequests = tableOf(
  SignatureRequest,
  'signature_requests',
  {
    id: id({ key: true }),
    action: word<SignedAction>()(),
    permission: word<Permission>()(),
    askedIndex: fixedBytes(32)(),
    consequence: json<Consequence>('text')(),
    personId: id.orNone(),
    askedBy: id(),
    askedFrom: line(45).orNone(),
    state: word<SignatureState>()(),
    askedAt: instant(),
    expiresAt: instant(),
    decidedBy: id.orNone(),
    decidedAt: instant.orNone(),
    reason: line(200).orNone(),
    matter: json<Matter>('mediumtext').orNone(),
    boundIndex: fixedBytes(32).orNone(),
    ground: word<Ground>(20, 'ascii_general_ci').orNone(),
    claim,
  },
  {
    indexes: [
      { name: 'signature_requests_asked', fields: ['asked_by', 'asked_index'] },
      { name: 'signature_requests_state', fields: ['state', 'id'] },
    ],
    joins: (self, on) => {
      self.belongsTo(persons(on), { as: 'person', foreignKey: 'personId', constraints: false });
      self.belongsTo(persons(on), { as: 'asker', foreignKey: 'askedBy', constraints: false });
      self.belongsTo(persons(on), { as: 'decider', foreignKey: 'decidedBy', constraints: false });
    },
  },
);
