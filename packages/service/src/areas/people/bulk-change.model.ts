import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { BulkKind, BulkState, Id } from '@nimble-latch/core/vocabulary';
import { flag, id, instant, integer, line, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A change of many people at once. */
export class BulkChange extends Model<InferAttributes<BulkChange>, InferCreationAttributes<BulkChange>> {
  declare id: Id;
  declare kind: BulkKind;
  declare groupId: Id | null;
  declare state: BulkState;
  declare undoes: Id | null;
  declare undoneBy: Id | null;
  declare gathered: CreationOptional<boolean>;
  declare people: CreationOptional<number>;
  declare passed: CreationOptional<number>;
  declare changedPeople: CreationOptional<number>;
  declare doneUpTo: Id | null;
  declare askedBy: Id;
  declare askedFrom: string | null;
  declare createdAt: Date;
  declare finishedAt: Date | null;
}

export const bulkChanges = tableOf(
  BulkChange,
  'bulk_changes',
  {
    id: id({ key: true }),
    kind: word<BulkKind>()(),
    groupId: id.orNone(),
    state: word<BulkState>()(),
    undoes: id.orNone(),
    undoneBy: id.orNone(),
    gathered: flag({ first: false }),
    people: integer({ first: 0 }),
    passed: integer({ first: 0 }),
    changedPeople: integer({ first: 0, named: 'changed' }),
    doneUpTo: id.orNone(),
    askedBy: id(),
    askedFrom: line(45).orNone(),
    createdAt: instant(),
    finishedAt: instant.orNone(),
  },
  {
    indexes: [{ name: 'bulk_changes_created', fields: ['created_at'] }],
  },
);
