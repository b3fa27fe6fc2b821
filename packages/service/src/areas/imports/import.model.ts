import { Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Id, ImportKind, ImportState } from '@nimble-latch/core/vocabulary';
import {
  claim,
  bigInteger,
  fixedBytes,
  flag,
  id,
  instant,
  integer,
  letters,
  line,
  longText,
  word,
} from '../../platform/db/columns.js';
import { tableOf } from '../../platform/db/models.js';

/** A file that is being brought in, and what became of it. */
export class Import extends Model<InferAttributes<Import>, InferCreationAttributes<Import>> {
  declare id: Id;
  declare kind: ImportKind;
  declare state: ImportState;
  declare received: CreationOptional<boolean>;
  declare fileName: string;
  declare bytes: CreationOptional<number>;
  declare fileRows: CreationOptional<number>;
  declare encoding: CreationOptional<string>;
  declare delimiter: CreationOptional<string>;
  declare headed: CreationOptional<boolean>;
  declare columns: string;
  declare rules: string;
  declare mappingId: Id | null;
  declare counts: string | null;
  declare digest: Buffer | null;
  declare newGroups: string;
  declare stepDone: CreationOptional<number>;
  declare stepTotal: CreationOptional<number>;
  declare problem: string | null;
  declare flipped: CreationOptional<number>;
  declare skipBad: CreationOptional<boolean>;
  declare outcome: string | null;
  declare startedBy: Id;
  declare appliedBy: Id | null;
  declare appliedFrom: string | null;
  declare createdAt: Date;
  declare finishedAt: Date | null;
  declare keptUntil: Date;
  declare version: CreationOptional<number>;
  declare checkedFrom: Date | null;
  declare findings: string | null;
  declare comments: CreationOptional<number>;
  declare dryRun: CreationOptional<boolean>;
  declare claim: CreationOptional<number>;
}

export const imports = tableOf(
  Import,
  'imports',
  {
    id: id({ key: true }),
    kind: word<ImportKind>()(),
    state: word<ImportState>()(),
    received: flag({ first: false }),
    fileName: line(120)(),
    bytes: bigInteger({ first: 0 }),
    fileRows: integer({ first: 0 }),
    encoding: word()({ first: '' }),
    delimiter: letters(1)({ first: ',' }),
    headed: flag({ first: true }),
    columns: longText('text')(),
    rules: line(800)(),
    mappingId: id.orNone({ of: { table: 'import_mappings', gone: 'SET NULL' } }),
    counts: line(400).orNone(),
    digest: fixedBytes(32).orNone(),
    newGroups: longText('mediumtext')(),
    stepDone: integer({ first: 0 }),
    stepTotal: integer({ first: 0 }),
    problem: word().orNone(),
    flipped: integer({ first: -1 }),
    skipBad: flag({ first: false }),
    outcome: line(400).orNone(),
    startedBy: id(),
    appliedBy: id.orNone(),
    appliedFrom: line(45).orNone(),
    createdAt: instant(),
    finishedAt: instant.orNone(),
    keptUntil: instant(),
    version: integer({ first: 1 }),
    checkedFrom: instant.orNone(),
    findings: longText('text').orNone(),
    comments: integer({ first: 0 }),
    dryRun: flag({ first: false }),
    claim,
  },
  {
    indexes: [
      { name: 'imports_kept', fields: ['kept_until'] },
      { name: 'imports_mapping_fk', fields: ['mapping_id'] },
    ],
  },
);
