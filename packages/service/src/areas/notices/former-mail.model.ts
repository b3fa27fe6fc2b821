import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, instant, sealed } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** The address that somebody had before it was changed: it hears of changes for a while yet. */
export class FormerMail extends Model<InferAttributes<FormerMail>, InferCreationAttributes<FormerMail>> {
  /** The person. */
  declare id: Id;
  declare mailSealed: Buffer;
  declare until: Date;
}

export const formerMails = tableOf(
  FormerMail,
  'former_mails',
  {
    id: id({ key: true, of: { table: 'persons', gone: 'CASCADE' } }),
    // Sealed as it is with the person, so that it moves over as it is.
    mailSealed: sealed(400, { purpose: 'contact', identity: (id) => `person/${id}/mail` })(),
    until: instant(),
  },
  { indexes: [{ name: 'former_mails_until', fields: ['until'] }] },
);
