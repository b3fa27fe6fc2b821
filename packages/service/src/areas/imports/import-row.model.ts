import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, RowVerdict } from '@nimble-latch/core/vocabulary';
import { flag, id, integer, longText, word } from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** What a row of a file would do. */
export class ImportRow extends Model<InferAttributes<ImportRow>, InferCreationAttributes<ImportRow>> {
  declare importId: Id;
  declare number: number;
  declare verdict: RowVerdict;
  declare subjectId: Id | null;
  declare overtaken: CreationOptional<boolean>;
  declare issues: string | null;
}

export const importRows = tableOf(
  ImportRow,
  'import_rows',
  {
    importId: id({ key: true, of: { table: 'imports', gone: 'CASCADE' } }),
    number: integer({ key: true }),
    verdict: word<RowVerdict>()(),
    subjectId: id.orNone(),
    overtaken: flag({ first: false }),
    issues: longText('text').orNone(),
  },
  {
    indexes: [
      { name: 'import_rows_subject', fields: ['subject_id', 'import_id'] },
      { name: 'import_rows_verdict', fields: ['import_id', 'verdict', 'number'] },
    ],
  },
);
