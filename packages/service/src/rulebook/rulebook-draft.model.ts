import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, integer, longText, onlyRow } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** The one draft; without a text none is begun. */
export class Draft extends Model<InferAttributes<Draft>, InferCreationAttributes<Draft>> {
  declare id: number;
  declare text: string | null;
  declare basedOn: number;
  declare changedBy: Id | null;
  declare changedAt: Date;
  declare version: number;
}

export const rulebookDraft = tableOf(Draft, 'rulebook_draft', {
  id: onlyRow({ key: true }),
  text: longText('mediumtext').orNone(),
  basedOn: integer(),
  changedBy: id.orNone(),
  changedAt: instant(),
  version: integer(),
});
