import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { instant, onlyRow } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** The set-up of the installation, begun: there is one. */
export class SetUp extends Model<InferAttributes<SetUp>, InferCreationAttributes<SetUp>> {
  declare id: number;
  declare begunAt: Date;
}

export const setUps = tableOf(SetUp, 'set_ups', {
  id: onlyRow({ key: true }),
  begunAt: instant(),
});
