import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, Verdict } from '@nimble-latch/core/vocabulary';
import { id, instant, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What an administrator said of a suspicious sign-in. */
export class SignInJudgement extends Model<InferAttributes<SignInJudgement>, InferCreationAttributes<SignInJudgement>> {
  declare signInId: Id;
  declare verdict: Verdict;
  declare judgedBy: Id | null;
  declare judgedAt: Date;
}

export const signInJudgements = tableOf(SignInJudgement, 'sign_in_judgements', {
  signInId: id({ key: true }),
  verdict: word<Verdict>()(),
  judgedBy: id.orNone(),
  judgedAt: instant(),
});
