import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, InvitingOutcome } from '@nimble-latch/core/vocabulary';
import { id, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Somebody whom a sending came to, or will, and what came of it. */
export class InvitationRoundPerson extends Model<
  InferAttributes<InvitationRoundPerson>,
  InferCreationAttributes<InvitationRoundPerson>
> {
  declare roundId: Id;
  declare personId: Id;
  declare outcome: CreationOptional<InvitingOutcome | null>;
}

export const invitationRoundPeople = tableOf(
  InvitationRoundPerson,
  'invitation_round_people',
  {
    roundId: id({ key: true, of: { table: 'invitation_rounds', gone: 'CASCADE' } }),
    personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
    outcome: word<InvitingOutcome>().orNone(),
  },
  { indexes: [{ name: 'invitation_round_people_person', fields: ['person_id'] }] },
);
