import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { exactLine, id, instant } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** The name by which a source knows somebody. */
export class PersonReference extends Model<InferAttributes<PersonReference>, InferCreationAttributes<PersonReference>> {
  declare mappingId: Id;
  declare reference: string;
  declare personId: Id;
  declare leftAt: Date | null;
}

export const personReferences = tableOf(
  PersonReference,
  'person_references',
  {
    mappingId: id({ key: true, of: { table: 'import_mappings', gone: 'CASCADE' } }),
    reference: exactLine(190)({ key: true }),
    personId: id({ of: { table: 'persons', gone: 'CASCADE' } }),
    leftAt: instant.orNone(),
  },
  {
    indexes: [{ name: 'person_references_person', fields: ['person_id', 'mapping_id'], unique: true }],
  },
);
