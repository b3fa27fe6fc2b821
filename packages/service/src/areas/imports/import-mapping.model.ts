import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, ImportKind } from '@nimble-latch/core/vocabulary';
import { claim, id, instant, integer, json, line, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';
import type { Column, Rules } from './store.js';

/** What the columns of somebody's files mean. */
export class ImportMapping extends Model<InferAttributes<ImportMapping>, InferCreationAttributes<ImportMapping>> {
  declare id: Id;
  declare name: string;
  declare kind: ImportKind;
  declare columns: readonly Column[];
  declare rules: Partial<Rules>;
  declare version: CreationOptional<number>;
  declare createdAt: Date;
  declare updatedAt: Date;
  declare claim: CreationOptional<number>;
}

export const importMappings = tableOf(
  ImportMapping,
  'import_mappings',
  {
    id: id({ key: true }),
    name: line(60)(),
    kind: word<ImportKind>()(),
    columns: json<readonly Column[]>('text')(),
    rules: json<Partial<Rules>>('varchar(800)')(),
    version: integer({ first: 1 }),
    createdAt: instant(),
    updatedAt: instant(),
    claim,
  },
  {
    indexes: [{ name: 'import_mappings_name', fields: ['name'], unique: true }],
  },
);
