import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { ActorKind, Id, TrailAction } from '@nimble-latch/core/vocabulary';
import { ascii, bigInteger, id, instant, line, longText, word } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** What somebody did, or read that was sensitive. */
export class TrailEntry extends Model<InferAttributes<TrailEntry>, InferCreationAttributes<TrailEntry>> {
  declare writer: Id;
  declare number: number;
  declare at: Date;
  declare actorKind: ActorKind;
  declare actorId: Id | null;
  declare action: TrailAction;
  declare targetKind: string;
  declare targetId: Id | null;
  declare personId: Id | null;
  declare origin: string | null;
  declare reason: string | null;
  declare details: string;
  declare spelled: string | null;
}

export const trailEntries = tableOf(
  TrailEntry,
  'trail_entries',
  {
    writer: id({ key: true }),
    number: bigInteger({ key: true }),
    at: instant(),
    actorKind: word<ActorKind>()(),
    actorId: id.orNone(),
    action: word<TrailAction>()(),
    targetKind: word()(),
    targetId: id.orNone(),
    personId: id.orNone(),
    origin: line(45).orNone(),
    reason: line(200).orNone(),
    details: longText('text')(),
    spelled: ascii('varchar(120)', 'ascii_general_ci').orNone(),
  },
  {
    indexes: [
      { name: 'trail_actor', fields: ['actor_id', 'at'] },
      { name: 'trail_at', fields: ['at', 'writer', 'number'] },
      { name: 'trail_person', fields: ['person_id', 'at'] },
    ],
  },
);
