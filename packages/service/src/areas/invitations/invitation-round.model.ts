import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { BulkState, Id, InvitationChannel, Method } from '@nimble-latch/core/vocabulary';
import { flag, id, instant, integer, line, word, words } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A sending of invitations: to whom it was asked for, and how far it is. */
export class InvitationRound extends Model<InferAttributes<InvitationRound>, InferCreationAttributes<InvitationRound>> {
  declare id: Id;
  declare state: BulkState;
  declare methods: readonly Method[];
  /** A second administrator agreed to it. */
  declare countersigned: boolean;
  declare via: InvitationChannel;
  declare days: number;
  declare people: CreationOptional<number>;
  declare passed: CreationOptional<number>;
  declare doneUpTo: CreationOptional<Id | null>;
  declare standingId: CreationOptional<Id | null>;
  declare askedBy: Id;
  declare askedFrom: string | null;
  declare createdAt: Date;
  declare finishedAt: CreationOptional<Date | null>;
}

export const invitationRounds = tableOf(
  InvitationRound,
  'invitation_rounds',
  {
    id: id({ key: true }),
    state: word<BulkState>()(),
    methods: words<Method>(200)(),
    countersigned: flag(),
    via: word<InvitationChannel>()(),
    days: integer(),
    people: integer({ first: 0 }),
    passed: integer({ first: 0 }),
    doneUpTo: id.orNone(),
    standingId: id.orNone(),
    askedBy: id(),
    askedFrom: line(45).orNone(),
    createdAt: instant(),
    finishedAt: instant.orNone(),
  },
  { indexes: [{ name: 'invitation_rounds_standing', fields: ['standing_id'] }] },
);
