import { LIMITS } from '@nimble-latch/api';
import {
  detectDelimiter,
  detectEncoding,
  guessColumns,
  looksLikeHeader,
  nameColumns,
  type Encoding,
} from '@nimble-latch/core/tables';
import { guessEncoding, type FileKey, type OwnCertificate } from '@nimble-latch/core/tokenfiles';
import {
  KEY_FILE_COLUMNS,
  TOKEN_FILE_COLUMNS,
  type ColumnMeaning,
  type ImportKind,
  type TokenFileForm,
  type Id,
} from '@nimble-latch/core/vocabulary';
import { type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { badField } from '../../platform/errors.js';
import { BLOCK_ROWS, keepBlock, type FileRow } from './blocks.js';
import { OneBehind } from './one-behind.js';
import { credentialRows } from './credential-files.js';
import { keyUriRows, pskcRows } from './key-files.js';
import { DEFAULT_RULES, DELIMITER_OF, type Column, type Rules } from './store.js';
import { csvRows, decoded, notATable, type headOf } from './read-file.js';

/** Rows that columns are guessed from. */
const SAMPLE_ROWS = 50;

interface Described {
  readonly columns: readonly Column[];
  readonly rules: Rules;
  readonly headed: boolean;
}

/** What the columns mean, by the mapping where one is given, guessed where none is. */
function describe(
  kind: ImportKind,
  rows: readonly FileRow[],
  header: 'yes' | 'no' | undefined,
  mapping: { readonly columns: readonly Column[]; readonly rules: Rules } | undefined,
): Described {
  const [first, ...rest] = rows.map((row) => row.cells);
  const headed = header === undefined ? looksLikeHeader(first!) : header === 'yes';
  const names = nameColumns(headed ? first! : first!.map(() => ''));
  if (!mapping) {
    const meanings = guessColumns(kind, headed ? first! : names, headed ? rest : [first!, ...rest]);
    const secret = meanings.indexOf('secret');
    const secrets =
      secret < 0 ? undefined : guessEncoding((headed ? rest : [first!, ...rest]).map((row) => row[secret] ?? ''));
    const rules = secrets ? { ...DEFAULT_RULES, secrets } : DEFAULT_RULES;
    return { columns: names.map((name, i) => ({ name, meaning: meanings[i]! })), rules, headed };
  }
  const meaningOf = new Map<string, ColumnMeaning>(mapping.columns.map(({ name, meaning }) => [name, meaning]));
  const gone = mapping.columns.find(({ name, meaning }) => meaning !== 'nothing' && !names.includes(name));
  if (gone) throw badField('query.mapping', 'column-gone', { column: gone.name });
  return {
    columns: names.map((name) => ({ name, meaning: meaningOf.get(name) ?? 'nothing' })),
    rules: mapping.rules,
    headed,
  };
}

/** What opens a key container, and by whose certificate it must be signed. */
export interface OpenedBy {
  readonly key: FileKey | readonly OwnCertificate[] | undefined;
  readonly signer: string | undefined;
}

/** Reads a file into sealed blocks, row by row; memory holds one block of it at a time. */
export async function stage(
  deps: Deps,
  db: Db,
  id: Id,
  { head, whole }: Pick<Awaited<ReturnType<typeof headOf>>, 'head' | 'whole'>,
  query: {
    readonly kind: ImportKind;
    readonly delimiter?: keyof typeof DELIMITER_OF | undefined;
    readonly encoding?: Encoding | undefined;
    readonly header?: 'yes' | 'no' | undefined;
    readonly form?: TokenFileForm | undefined;
  },
  opened: OpenedBy,
  mapping: { readonly columns: readonly Column[]; readonly rules: Rules } | undefined,
) {
  const detected = detectEncoding(head);
  if (!detected.ok) throw notATable(`file-${detected.why}`, 'file');
  const encoding = query.encoding ?? detected.encoding;
  const delimiter = query.delimiter
    ? DELIMITER_OF[query.delimiter]
    : detectDelimiter(new TextDecoder(encoding).decode(head, { stream: true }));
  let bytes = 0;
  let described: Described | undefined;
  const pending: FileRow[] = [];
  let kept = 0;
  // One block is being kept while the next one is read.
  const keeping = new OneBehind();
  const form = query.kind === 'keys' ? 'credentials' : query.kind === 'tokens' ? (query.form ?? 'csv') : 'csv';
  const fixed = form === 'credentials' ? KEY_FILE_COLUMNS : TOKEN_FILE_COLUMNS;
  if (form !== 'csv')
    described = {
      columns: fixed.map((meaning) => ({ name: meaning, meaning })),
      rules: DEFAULT_RULES,
      headed: false,
    };
  const flush = async (all: boolean) => {
    if (!described) {
      if (pending.length === 0) throw notATable('file-empty', 'file');
      described = describe(query.kind, pending.slice(0, SAMPLE_ROWS + 1), query.header, mapping);
      if (described.headed) pending.shift();
    }
    while (pending.length >= BLOCK_ROWS || (all && pending.length > 0)) {
      const rows = pending.splice(0, BLOCK_ROWS);
      const block = { first: kept + 1, rows };
      await keeping.start(async () => await keepBlock(deps, db, id, block));
      kept += rows.length;
      if (kept > LIMITS.fileRows) throw notATable('file-rows-many', 'file', { most: LIMITS.fileRows });
    }
  };
  const pieces = decoded(whole, encoding, (seen) => (bytes = seen));
  const rows =
    form === 'pskc'
      ? pskcRows(pieces, opened.key, opened.signer)
      : form === 'key-uris'
        ? keyUriRows(pieces)
        : form === 'credentials'
          ? credentialRows(pieces)
          : csvRows(pieces, delimiter);
  for await (const row of rows) {
    pending.push(row);
    if (pending.length > BLOCK_ROWS) await flush(false);
  }
  await flush(true);
  await keeping.ended();
  if (kept === 0) throw notATable('file-header-only', 'file');
  return { ...described!, bytes, rows: kept, encoding, delimiter };
}
