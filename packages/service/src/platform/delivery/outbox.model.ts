import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, line, sealed, word } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** Something to be sent outward. */
export class OutboxRow extends Model<InferAttributes<OutboxRow>, InferCreationAttributes<OutboxRow>> {
  declare id: Id;
  declare kind: string;
  declare state: string;
  declare sealed: Buffer;
  declare nextAt: Date;
  declare leaseHolder: Id | null;
  declare leaseUntil: Date | null;
  declare attempts: CreationOptional<number>;
  declare lastError: string | null;
  declare createdAt: Date;
  declare usefulUntil: Date | null;
  /** What it is about: whose area hears what became of it. */
  declare aboutKind: string | null;
  declare aboutId: Id | null;
}

export const outbox = tableOf(
  OutboxRow,
  'outbox',
  {
    id: id({ key: true }),
    kind: word()(),
    state: word()(),
    sealed: sealed('blob', { purpose: 'outbox' })(),
    nextAt: instant(),
    leaseHolder: id.orNone(),
    leaseUntil: instant.orNone(),
    attempts: integer({ first: 0 }),
    lastError: line(200).orNone(),
    createdAt: instant(),
    usefulUntil: instant.orNone(),
    aboutKind: word().orNone(),
    aboutId: id.orNone(),
  },
  {
    indexes: [{ name: 'outbox_due', fields: ['state', 'next_at'] }],
  },
);
