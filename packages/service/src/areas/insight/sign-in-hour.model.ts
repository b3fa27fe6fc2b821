import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { SignInState } from '@nimble-latch/core/vocabulary';
import { integer, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** Sign-ins of an hour by state. */
export class SignInHour extends Model<InferAttributes<SignInHour>, InferCreationAttributes<SignInHour>> {
  declare hour: number;
  declare state: SignInState;
  declare n: number;
}

export const signInHours = tableOf(SignInHour, 'sign_in_hours', {
  hour: integer({ key: true }),
  state: word<SignInState>()({ key: true }),
  n: integer(),
});
