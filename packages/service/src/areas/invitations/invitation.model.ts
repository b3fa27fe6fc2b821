import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, InvitationChannel, Method } from '@nimble-latch/core/vocabulary';
import { flag, id, instant, integer, word, words } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** An invitation of one person to enrol, and its life; what opens it stands in its links. */
export class Invitation extends Model<InferAttributes<Invitation>, InferCreationAttributes<Invitation>> {
  declare id: Id;
  declare roundId: Id;
  declare personId: Id;
  /** The person, as long as it is open: two that are open for one person cannot be. */
  declare openFor: Id | null;
  declare methods: readonly Method[];
  /** A second administrator agreed to it. */
  declare countersigned: boolean;
  declare via: InvitationChannel;
  declare createdAt: Date;
  declare validUntil: Date;
  declare sentAt: CreationOptional<Date | null>;
  declare bouncedAt: CreationOptional<Date | null>;
  declare openedAt: CreationOptional<Date | null>;
  declare begunAt: CreationOptional<Date | null>;
  declare doneAt: CreationOptional<Date | null>;
  /** The sign-in by whose right it was used. */
  declare doneBy: CreationOptional<Id | null>;
  declare withdrawnAt: CreationOptional<Date | null>;
  declare reminders: CreationOptional<number>;
  declare remindedAt: CreationOptional<Date | null>;
  declare nextReminderAt: CreationOptional<Date | null>;
  declare sentAnew: CreationOptional<number>;
  /** How many links were made for it. */
  declare links: CreationOptional<number>;
}

export const invitations = tableOf(
  Invitation,
  'invitations',
  {
    id: id({ key: true }),
    roundId: id({ of: { table: 'invitation_rounds', gone: 'CASCADE' } }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    openFor: id.orNone(),
    methods: words<Method>(200)(),
    countersigned: flag(),
    via: word<InvitationChannel>()(),
    createdAt: instant(),
    validUntil: instant(),
    sentAt: instant.orNone(),
    bouncedAt: instant.orNone(),
    openedAt: instant.orNone(),
    begunAt: instant.orNone(),
    doneAt: instant.orNone(),
    doneBy: id.orNone(),
    withdrawnAt: instant.orNone(),
    reminders: integer({ first: 0 }),
    remindedAt: instant.orNone(),
    nextReminderAt: instant.orNone(),
    sentAnew: integer({ first: 0 }),
    links: integer({ first: 0 }),
  },
  {
    indexes: [
      { name: 'invitations_open_for', fields: ['open_for'], unique: true },
      { name: 'invitations_round', fields: ['round_id'] },
      { name: 'invitations_person', fields: ['person_id'] },
      { name: 'invitations_reminders', fields: ['next_reminder_at'] },
    ],
  },
);
