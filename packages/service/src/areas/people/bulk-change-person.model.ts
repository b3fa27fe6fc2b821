import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { flag, id } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Somebody whom a bulk change is for. */
export class BulkChangePerson extends Model<
  InferAttributes<BulkChangePerson>,
  InferCreationAttributes<BulkChangePerson>
> {
  declare changeId: Id;
  declare personId: Id;
  declare wasChanged: CreationOptional<boolean>;
}

export const bulkChangePeople = tableOf(BulkChangePerson, 'bulk_change_people', {
  changeId: id({ key: true, of: { table: 'bulk_changes', gone: 'CASCADE' } }),
  personId: id({ key: true }),
  wasChanged: flag({ first: false, named: 'changed' }),
});
