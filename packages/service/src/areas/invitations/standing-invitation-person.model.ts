import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Somebody whom a standing invitation has come to. */
export class StandingInvitationPerson extends Model<
  InferAttributes<StandingInvitationPerson>,
  InferCreationAttributes<StandingInvitationPerson>
> {
  declare standingId: Id;
  declare personId: Id;
  /** The sending in which; null for whoever was there before it. */
  declare roundId: Id | null;
}

export const standingInvitationPeople = tableOf(
  StandingInvitationPerson,
  'standing_invitation_people',
  {
    standingId: id({ key: true, of: { table: 'standing_invitations', gone: 'CASCADE' } }),
    personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
    roundId: id.orNone(),
  },
  { indexes: [{ name: 'standing_invitation_people_person', fields: ['person_id'] }] },
);
