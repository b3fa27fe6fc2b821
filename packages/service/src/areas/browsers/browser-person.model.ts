import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Somebody who has signed in with a browser. */
export class BrowserPerson extends Model<InferAttributes<BrowserPerson>, InferCreationAttributes<BrowserPerson>> {
  declare browserId: Id;
  declare personId: Id;
  declare firstAt: Date;
  declare lastAt: Date;
}

export const browserPeople = tableOf(
  BrowserPerson,
  'browser_people',
  {
    browserId: id({ key: true, of: { table: 'browsers', gone: 'CASCADE' } }),
    personId: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
    firstAt: instant(),
    lastAt: instant(),
  },
  {
    indexes: [{ name: 'browser_people_person', fields: ['person_id'] }],
  },
);
