import { Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id } from '@nimble-latch/core/vocabulary';
import { id, integer, sealed } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What a sealed block is bound to. */
export const blockIdentity = (id: Id): string => `import-block/${id}`;

/** A part of a file, sealed. */
export class ImportBlock extends Model<InferAttributes<ImportBlock>, InferCreationAttributes<ImportBlock>> {
  declare id: Id;
  declare importId: Id;
  declare firstRow: number;
  declare lastRow: number;
  declare sealed: Buffer;
}

export const importBlocks = tableOf(
  ImportBlock,
  'import_blocks',
  {
    id: id({ key: true }),
    importId: id({ of: { table: 'imports', gone: 'CASCADE' } }),
    firstRow: integer(),
    lastRow: integer(),
    sealed: sealed('mediumblob', { purpose: 'contact', identity: blockIdentity })(),
  },
  {
    indexes: [{ name: 'import_blocks_order', fields: ['import_id', 'first_row'], unique: true }],
  },
);
