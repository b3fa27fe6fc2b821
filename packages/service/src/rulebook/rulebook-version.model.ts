import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, line, longText } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** A rulebook that was published. */
export class Version extends Model<InferAttributes<Version>, InferCreationAttributes<Version>> {
  declare number: number;
  declare text: string;
  declare rules: string;
  declare bound: string;
  declare message: string;
  declare lockedOut: number;
  declare publishedBy: Id | null;
  declare publishedAt: Date;
}

export const rulebookVersions = tableOf(Version, 'rulebook_versions', {
  number: integer({ key: true }),
  text: longText('mediumtext')(),
  rules: longText('mediumtext')(),
  bound: longText('mediumtext')(),
  message: line(400)(),
  lockedOut: integer(),
  publishedBy: id.orNone(),
  publishedAt: instant(),
});
