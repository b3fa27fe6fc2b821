import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { claim, ascii, integer, onlyRow } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What keys are made for, once it was chosen. */
export class RelyingParty extends Model<InferAttributes<RelyingParty>, InferCreationAttributes<RelyingParty>> {
  declare id: number;
  declare rpId: string;
  declare appId: string | null;
  declare version: CreationOptional<number>;
  declare claim: CreationOptional<number>;
}

export const relyingParties = tableOf(RelyingParty, 'relying_party', {
  id: onlyRow({ key: true }),
  rpId: ascii('varchar(253)', 'ascii_general_ci')(),
  appId: ascii('varchar(512)', 'ascii_general_ci').orNone(),
  version: integer({ first: 1 }),
  claim,
});
