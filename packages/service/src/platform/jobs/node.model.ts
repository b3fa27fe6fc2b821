import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, line, word } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** A node that runs, or ran until a moment ago. */
export class NodeRow extends Model<InferAttributes<NodeRow>, InferCreationAttributes<NodeRow>> {
  declare id: Id;
  declare host: string;
  declare version: string;
  declare startedAt: Date;
  declare seenAt: Date;
  declare clockOffMs: CreationOptional<number>;
  declare rulebookVersion: number | null;
}

export const nodes = tableOf(
  NodeRow,
  'nodes',
  {
    id: id({ key: true }),
    host: line(120)(),
    version: word()(),
    startedAt: instant(),
    seenAt: instant(),
    clockOffMs: integer({ first: 0 }),
    rulebookVersion: integer.orNone(),
  },
  {
    indexes: [{ name: 'nodes_seen', fields: ['seen_at'] }],
  },
);
