import { NOTHING_SAID, PLAIN_OWNERS, type OwnerRule, type WholeFile } from '@nimble-latch/core/tokenfiles';
import type { Delimiter } from '@nimble-latch/core/tables';
import type {
  Id,
  ColumnMeaning,
  CommaRule,
  ImportKind,
  ImportProblem,
  ImportState,
  RowVerdict,
  SecretEncoding,
} from '@nimble-latch/core/vocabulary';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import { notFound } from '../../platform/errors.js';
import type { Makeup } from './planner.js';
import { idBytes, idText } from '../../platform/ids.js';
import { selectOneToHold } from '../../platform/db/claims.js';

/** What the rows of a file come to, by verdict. */
export type Tally = Record<RowVerdict, number>;
export const emptyTally = (): Tally => ({ new: 0, changed: 0, returning: 0, unchanged: 0, missing: 0, refused: 0 });

export interface WrittenTally extends Tally {
  overtaken: number;
}

export interface Rules {
  readonly country: string | null;
  readonly empty: 'keep' | 'clear';
  readonly missing: 'keep' | 'deactivate';
  readonly language: string;
  readonly timeZone: string;
  /** What a comma in a cell of login names or groups is. */
  readonly commas: CommaRule;
  /** What every token of the file is. */
  readonly whole: WholeFile;
  /** How secrets of tokens are written. */
  readonly secrets: SecretEncoding;
  /** How owners of tokens are named. */
  readonly owners: OwnerRule;
}

export const DEFAULT_RULES: Rules = {
  country: null,
  empty: 'keep',
  missing: 'keep',
  language: 'en',
  timeZone: 'UTC',
  commas: 'ask',
  whole: NOTHING_SAID,
  secrets: 'hex',
  owners: PLAIN_OWNERS,
};

/** Names of delimiters in the contract. */
export const DELIMITER_OF: Readonly<Record<'comma' | 'semicolon' | 'tab' | 'bar', Delimiter>> = {
  comma: ',',
  semicolon: ';',
  tab: '\t',
  bar: '|',
};

/** What looking through all rows has found, beside what each comes to. */
export interface Findings {
  readonly makeup: readonly Makeup[];
  /** People of whom something known would be cleared. */
  readonly cleared: number;
}
const NO_FINDINGS: Findings = { makeup: [], cleared: 0 };

export interface Column {
  readonly name: string;
  readonly meaning: ColumnMeaning;
}

/** One import, as it stands. */
export interface Import {
  readonly id: Id;
  readonly kind: ImportKind;
  readonly state: ImportState;
  readonly fileName: string;
  readonly bytes: number;
  readonly rows: number;
  readonly encoding: string;
  readonly delimiter: Delimiter;
  readonly headed: boolean;
  readonly columns: readonly Column[];
  readonly rules: Rules;
  readonly mapping: { readonly id: Id; readonly name: string } | null;
  readonly counts: Tally | null;
  readonly digest: Buffer | null;
  /** When the check began that the preview comes from. */
  readonly checkedFrom: Date | null;
  readonly newGroups: readonly string[];
  readonly findings: Findings;
  /** Lines passed over as comments. */
  readonly comments: number;
  readonly dryRun: boolean;
  readonly progress: { readonly done: number; readonly total: number };
  readonly problem: ImportProblem | null;
  /** The last row that is written; -1 before the first transaction. */
  readonly flipped: number;
  readonly skipBad: boolean;
  readonly outcome: WrittenTally | null;
  readonly startedBy: { readonly id: Id; readonly name: string | null };
  readonly appliedBy: Id | null;
  /** Everybody who had a hand in it is an owner: only then may it change administrators and emergency accounts. */
  readonly byOwners: boolean;
  readonly appliedFrom: string | null;
  readonly createdAt: Date;
  readonly finishedAt: Date | null;
  readonly keptUntil: Date;
  readonly version: number;
}

interface ImportRow {
  id: Buffer;
  kind: ImportKind;
  state: ImportState;
  file_name: string;
  bytes: bigint | number;
  file_rows: number;
  encoding: string;
  delimiter: Delimiter;
  headed: number;
  columns: string;
  rules: string;
  mapping_id: Buffer | null;
  mapping_name: string | null;
  counts: string | null;
  digest: Buffer | null;
  checked_from: Date | null;
  new_groups: string;
  findings: string | null;
  comments: number;
  dry_run: number;
  step_done: number;
  step_total: number;
  problem: ImportProblem | null;
  flipped: number;
  skip_bad: number;
  outcome: string | null;
  started_by: Buffer;
  starter_name: string | null;
  applied_by: Buffer | null;
  by_owners: number;
  applied_from: string | null;
  created_at: Date;
  finished_at: Date | null;
  kept_until: Date;
  version: number;
}

const SELECTED = `SELECT i.*, (EXISTS (SELECT 1 FROM role_grants o WHERE o.person_id = i.started_by AND o.role = 'owner')
    AND (i.applied_by IS NULL OR EXISTS (SELECT 1 FROM role_grants o WHERE o.person_id = i.applied_by AND o.role = 'owner'))) AS by_owners, m.name AS mapping_name, p.display_name AS starter_name FROM imports i
  LEFT JOIN import_mappings m ON m.id = i.mapping_id LEFT JOIN persons p ON p.id = i.started_by`;

function importOf(row: ImportRow): Import {
  return {
    id: idText(row.id),
    kind: row.kind,
    state: row.state,
    fileName: row.file_name,
    bytes: Number(row.bytes),
    rows: row.file_rows,
    encoding: row.encoding,
    delimiter: row.delimiter,
    headed: row.headed === 1,
    columns: JSON.parse(row.columns) as Column[],
    rules: { ...DEFAULT_RULES, ...(JSON.parse(row.rules) as Partial<Rules>) },
    mapping:
      row.mapping_id && row.mapping_name !== null ? { id: idText(row.mapping_id), name: row.mapping_name } : null,
    counts: row.counts === null ? null : (JSON.parse(row.counts) as Tally),
    digest: row.digest,
    checkedFrom: row.checked_from,
    newGroups: JSON.parse(row.new_groups) as string[],
    findings: row.findings === null ? NO_FINDINGS : (JSON.parse(row.findings) as Findings),
    comments: row.comments,
    dryRun: row.dry_run === 1,
    progress: { done: row.step_done, total: row.step_total },
    problem: row.problem,
    flipped: row.flipped,
    skipBad: row.skip_bad === 1,
    outcome: row.outcome === null ? null : (JSON.parse(row.outcome) as WrittenTally),
    startedBy: { id: idText(row.started_by), name: row.starter_name },
    appliedBy: row.applied_by && idText(row.applied_by),
    byOwners: Number(row.by_owners) === 1,
    appliedFrom: row.applied_from,
    createdAt: row.created_at,
    finishedAt: row.finished_at,
    keptUntil: row.kept_until,
    version: row.version,
  };
}

/** One import that was received whole. Throws not-found. */
export async function readImport(db: Db, id: Id): Promise<Import> {
  const row = await selectOne<ImportRow>(db, `${SELECTED} WHERE i.id = :id AND i.received = 1`, { id: idBytes(id) });
  if (!row) throw notFound();
  return importOf(row);
}

/** The same, its row locked until the transaction ends. */
export async function lockImport(db: Db, id: Id): Promise<Import> {
  await selectOneToHold(db, 'imports WHERE id = :id', 'SELECT id FROM imports WHERE id = :id', { id: idBytes(id) });
  return await readImport(db, id);
}

/** Imports by age, the latest first; `before` is the last of the page before. */
export async function readImports(db: Db, before: Id | undefined, limit: number): Promise<Import[]> {
  const rows = await select<ImportRow>(
    db,
    `${SELECTED} WHERE i.received = 1 ${before ? 'AND i.id < :before' : ''} ORDER BY i.id DESC LIMIT :limit`,
    { before: before ? idBytes(before) : '', limit },
  );
  return rows.map(importOf);
}
