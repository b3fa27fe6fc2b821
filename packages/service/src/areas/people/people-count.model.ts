import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { instant, integer, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** How many people there are of a kind, as counted last. */
export class PeopleCount extends Model<InferAttributes<PeopleCount>, InferCreationAttributes<PeopleCount>> {
  declare facet: string;
  declare value: string;
  declare people: number;
  declare countedAt: Date;
}

export const peopleCounts = tableOf(PeopleCount, 'people_counts', {
  facet: word()({ key: true }),
  value: word()({ key: true }),
  people: integer(),
  countedAt: instant(),
});
