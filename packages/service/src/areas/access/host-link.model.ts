import { Model, type InferAttributes, type InferCreationAttributes, type NonAttribute } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { fixedBytes, id, instant, keyId, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import { persons, type Person } from '../people/person.model.js';

export type LinkKind = 'set-up' | 'owner';

/** A link made on the host: to set up, or for an owner to come back in. */
export class HostLink extends Model<InferAttributes<HostLink>, InferCreationAttributes<HostLink>> {
  declare id: Id;
  declare kind: LinkKind;
  declare personId: Id | null;
  declare hash: Buffer;
  declare hashKeyId: Id;
  declare createdAt: Date;
  declare expiresAt: Date;
  declare usedAt: Date | null;
  declare person?: NonAttribute<Person | null>;
}

export const hostLinks = tableOf(
  HostLink,
  'host_links',
  {
    id: id({ key: true }),
    kind: word<LinkKind>()(),
    personId: id.orNone({ of: { table: 'persons', gone: 'CASCADE' } }),
    hash: fixedBytes(32)(),
    hashKeyId: keyId('verify')(),
    createdAt: instant(),
    expiresAt: instant(),
    usedAt: instant.orNone(),
  },
  {
    indexes: [{ name: 'host_links_person_fk', fields: ['person_id'] }],
    joins: (self, on) => void self.belongsTo(persons(on), { as: 'person', foreignKey: 'personId', constraints: false }),
  },
);
