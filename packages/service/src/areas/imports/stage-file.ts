import { hint, LIMITS } from '@nimble-latch/api';
import {
  detectDelimiter,
  delimiterLine,
  detectEncoding,
  guessColumns,
  isKnownHeading,
  looksLikeHeader,
  nameColumns,
  readCell,
  type Encoding,
} from '@nimble-latch/core/tables';
import {
  guessEncoding,
  guessTokenColumns,
  isTokenHeading,
  type FileKey,
  type OwnCertificate,
} from '@nimble-latch/core/tokenfiles';
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
import { badField, Refusal } from '../../platform/errors.js';
import { BLOCK_ROWS, keepBlock, type FileRow } from './blocks.js';
import { OneBehind } from './one-behind.js';
import { credentialRows } from './credential-files.js';
import { keyUriRows, pskcRows } from './key-files.js';
import { DELIMITER_OF, type Column, type Rules } from './store.js';
import { csvRows, decoded, notATable, type headOf } from './read-file.js';

/** Rows that columns are guessed from. */
const SAMPLE_ROWS = 50;

interface Described {
  readonly columns: readonly Column[];
  readonly rules: Rules;
  readonly headed: boolean;
}

const isHeading = (kind: ImportKind) => (kind === 'tokens' ? isTokenHeading : isKnownHeading);

/** What the columns mean, by the mapping where one is given, guessed where none is. */
function describe(
  kind: ImportKind,
  rows: readonly FileRow[],
  header: 'yes' | 'no' | undefined,
  { mapping, first: rulesFirst }: Known,
): Described {
  const [first, ...rest] = rows.map((row) => row.cells);
  const headed = header === undefined ? looksLikeHeader(first!, rest, isHeading(kind)) : header === 'yes';
  const names = nameColumns(headed ? first! : first!.map(() => ''));
  if (!mapping) {
    const samples = headed ? rest : [first!, ...rest];
    const guess = kind === 'tokens' ? guessTokenColumns : guessColumns.bind(undefined, kind);
    const meanings = guess(headed ? nameColumns(first!) : names, samples);
    const secret = meanings.indexOf('secret');
    const secrets = secret < 0 ? undefined : guessEncoding(samples.map((row) => readCell(row[secret] ?? '')));
    const rules = secrets ? { ...rulesFirst, secrets } : rulesFirst;
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

/** What is known of a file before it is read. */
export interface Known {
  readonly mapping: { readonly columns: readonly Column[]; readonly rules: Rules } | undefined;
  /** Rules to begin with, where no mapping says others. */
  readonly first: Rules;
}

/** What a file of tokens is, told from its beginning. */
export function formOf(head: Buffer): TokenFileForm {
  const detected = detectEncoding(head);
  if (!detected.ok) return 'csv';
  const text = new TextDecoder(detected.encoding).decode(head, { stream: true });
  if (/^\s*<(?:\?xml|[A-Za-z!])/.test(text)) return 'pskc';
  return /^(?:\s*(?:#[^\n]*)?\n)*\s*otpauth:\/\//i.test(text) ? 'key-uris' : 'csv';
}

/**
 * The encoding of an XML file (XML 1.0 §4.3.3 and appendix F): by its mark, else what it declares, else UTF-8.
 *
 * @throws Refusal for one that is not known
 */
function xmlEncoding(head: Buffer): string {
  if (head.length >= 2 && [0xfeff, 0xfffe].includes(head.readUInt16BE(0))) return 'utf-16';
  const declared = /^(?:\xef\xbb\xbf)?\s*<\?xml[^>]*?\bencoding\s*=\s*["']([\w.:-]{1,40})["']/.exec(
    head.toString('latin1'),
  )?.[1];
  // Whoever wrote it in ASCII wrote it in UTF-8 as well.
  const label = declared === undefined || /^us-ascii$/i.test(declared) ? 'utf-8' : declared;
  try {
    return new TextDecoder(label).encoding;
  } catch {
    throw new Refusal('key-file-unreadable', { what: 'xml-encoding' }, [
      { where: 'line 1', what: hint('pskc-xml-encoding') },
    ]);
  }
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
  },
  /** Of a file of tokens. */
  tokenForm: TokenFileForm,
  opened: OpenedBy,
  known: Known,
) {
  const detected = detectEncoding(head);
  if (!detected.ok) throw notATable(`file-${detected.why}`, 'file');
  const form = query.kind === 'keys' ? 'credentials' : query.kind === 'tokens' ? tokenForm : 'csv';
  const encoding = query.encoding ?? (form === 'pskc' ? xmlEncoding(head) : detected.encoding);
  const text = new TextDecoder(encoding).decode(head, { stream: true });
  const delimiter = query.delimiter ? DELIMITER_OF[query.delimiter] : detectDelimiter(text);
  let bytes = 0;
  let comments = 0;
  let described: Described | undefined;
  const pending: FileRow[] = [];
  let kept = 0;
  // One block is being kept while the next one is read.
  const keeping = new OneBehind();
  const fixed = form === 'credentials' ? KEY_FILE_COLUMNS : TOKEN_FILE_COLUMNS;
  if (form !== 'csv')
    described = {
      columns: fixed.map((meaning) => ({ name: meaning, meaning })),
      rules: known.mapping?.rules ?? known.first,
      headed: false,
    };
  const flush = async (all: boolean) => {
    if (!described) {
      if (pending.length === 0) throw notATable('file-empty', 'file');
      described = describe(query.kind, pending.slice(0, SAMPLE_ROWS + 1), query.header, known);
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
  const onComment = () => void (comments += 1);
  const pieces = decoded(whole, encoding, (seen) => (bytes = seen));
  const rows =
    form === 'pskc'
      ? pskcRows(pieces, opened.key, opened.signer)
      : form === 'key-uris'
        ? keyUriRows(pieces, onComment)
        : form === 'credentials'
          ? credentialRows(pieces)
          : csvRows(pieces, {
              delimiter,
              delimiterLine: delimiterLine(text) !== undefined,
              looseQuotes: /="|(?:^|\n)#/.test(text),
              isHeading: isHeading(query.kind),
              onComment,
            });
  for await (const row of rows) {
    pending.push(row);
    if (pending.length > BLOCK_ROWS) await flush(false);
  }
  await flush(true);
  await keeping.ended();
  if (kept === 0) throw notATable('file-header-only', 'file');
  return { ...described!, bytes, rows: kept, encoding, delimiter, comments };
}
