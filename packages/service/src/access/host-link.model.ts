import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { fixedBytes, id, instant, keyId, word } from '../db/columns.js';
import { tableOf } from '../db/models.js';

/** A link made on the host: to set up, or for an owner to come back in. */
export class HostLink extends Model<InferAttributes<HostLink>, InferCreationAttributes<HostLink>> {
  declare id: Id;
  declare kind: string;
  declare personId: Id | null;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare createdAt: Date;
  declare expiresAt: Date;
  declare usedAt: Date | null;
}

export const hostLinks = tableOf(
  HostLink,
  'host_links',
  {
    id: id({ key: true }),
    kind: word()(),
    personId: id.orNone({ of: { table: 'persons', gone: 'CASCADE' } }),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    createdAt: instant(),
    expiresAt: instant(),
    usedAt: instant.orNone(),
  },
  {
    indexes: [{ name: 'host_links_person_fk', fields: ['person_id'] }],
  },
);
