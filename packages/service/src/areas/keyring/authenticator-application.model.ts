import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** An application that an authenticator is restricted to. */
export class AuthenticatorApplication extends Model<
  InferAttributes<AuthenticatorApplication>,
  InferCreationAttributes<AuthenticatorApplication>
> {
  declare authenticatorId: Id;
  declare applicationId: Id;
}

export const authenticatorApplications = tableOf(
  AuthenticatorApplication,
  'authenticator_applications',
  {
    authenticatorId: id({ key: true, of: { table: 'authenticators', gone: 'CASCADE' } }),
    applicationId: id({ key: true, of: { table: 'applications', gone: 'CASCADE' } }),
  },
  {
    indexes: [{ name: 'authenticator_applications_application_fk', fields: ['application_id'] }],
  },
);
