import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Claim, Id, OperatorReason, SignInState } from '@nimble-latch/core/vocabulary';
import { fixedBytes, float, id, instant, integer, line, longText, word, words } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** One question about one person at one application. */
export class StoredSignIn extends Model<InferAttributes<StoredSignIn>, InferCreationAttributes<StoredSignIn>> {
  declare id: Id;
  declare applicationId: Id;
  declare connectionId: Id | null;
  declare personId: Id | null;
  declare decoyId: Buffer | null;
  declare walkedBy: Id | null;
  declare state: SignInState;
  declare operatorReason: OperatorReason | null;
  declare way: string | null;
  declare data: string;
  declare sourceAddress: string | null;
  declare browser: string | null;
  declare risk: number | null;
  declare claims: readonly Claim[];
  declare ignoredClaims: readonly Claim[];
  declare version: CreationOptional<number>;
  declare begunAt: Date;
  declare endedAt: Date | null;
}

export const signIns = tableOf(
  StoredSignIn,
  'sign_ins',
  {
    id: id({ key: true }),
    applicationId: id(),
    connectionId: id.orNone(),
    personId: id.orNone(),
    decoyId: fixedBytes(16).orNone(),
    walkedBy: id.orNone(),
    state: word<SignInState>()(),
    operatorReason: word<OperatorReason>().orNone(),
    way: line(120).orNone(),
    data: longText('text')(),
    sourceAddress: line(45).orNone(),
    browser: line(400).orNone(),
    risk: float.orNone(),
    claims: words<Claim>(200)(),
    ignoredClaims: words<Claim>(200)(),
    version: integer({ first: 1 }),
    begunAt: instant(),
    endedAt: instant.orNone(),
  },
  {
    indexes: [
      { name: 'sign_ins_application', fields: ['application_id', 'id'] },
      { name: 'sign_ins_person', fields: ['person_id', 'id'] },
      { name: 'sign_ins_state', fields: ['state', 'id'] },
    ],
  },
);
