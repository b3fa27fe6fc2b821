import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { LIMITS, hint, type HintId } from '@nimble-latch/api';
import {
  detectDelimiter,
  detectEncoding,
  guessColumns,
  HEAD_BYTES,
  looksLikeHeader,
  nameColumns,
  type Delimiter,
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
import { CsvError, parse, type Info } from 'csv-parse';
import { carryOut, insertion, updateOf, write, type Db } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idBytesOrNull, newId } from '../../platform/ids.js';
import { BLOCK_ROWS, keepBlock, type FileRow } from './blocks.js';
import { OneBehind } from './one-behind.js';
import { ownCertificates } from '../stock/certificates.js';
import { credentialRows } from './credential-files.js';
import { fileKeyOf, fileSignerOf, keyUriRows, pskcRows } from './key-files.js';
import { readMapping } from './mappings.js';
import { showImport } from './show.js';
import { DEFAULT_RULES, DELIMITER_OF, readImport, type Column, type Rules } from './store.js';

/** Rows that columns are guessed from. */
const SAMPLE_ROWS = 50;

const notATable = (id: HintId, where: string, facts?: Record<string, string | number>) =>
  new Refusal('not-a-table', {}, [{ where, what: hint(id, facts) }]);

/** The beginning of a stream, the whole of it once more, and a way to let the rest of it go by. */
async function headOf(file: Readable) {
  const pieces = (file as AsyncIterable<Buffer>)[Symbol.asyncIterator]();
  const begun: Buffer[] = [];
  let bytes = 0;
  while (bytes < HEAD_BYTES) {
    const next = await pieces.next();
    if (next.done) break;
    begun.push(next.value);
    bytes += next.value.length;
  }
  async function* whole() {
    yield* begun;
    for (let next = await pieces.next(); !next.done; next = await pieces.next()) yield next.value;
  }
  return { head: Buffer.concat(begun).subarray(0, HEAD_BYTES), whole: whole(), pieces };
}

/** Takes what is left of a file and drops it: whoever sends it reads the refusal only after the last byte is gone. */
async function letGoBy(pieces: AsyncIterator<Buffer>): Promise<void> {
  try {
    let bytes = 0;
    for (let next = await pieces.next(); !next.done && bytes < LIMITS.fileBytes; next = await pieces.next())
      bytes += next.value.length;
  } catch {
    // The sender has gone.
  }
}

/** Bytes as text, strictly: what is not of this encoding ends it. Counts the bytes and refuses more than a file may have. */
async function* decoded(
  whole: AsyncIterable<Buffer>,
  encoding: Encoding,
  onBytes: (bytes: number) => void,
): AsyncGenerator<string> {
  const decoder = new TextDecoder(encoding, { fatal: true });
  let bytes = 0;
  const decode = (piece?: Buffer) => {
    try {
      return piece ? decoder.decode(piece, { stream: true }) : decoder.decode();
    } catch {
      throw notATable('file-encoding', 'file', { encoding, kilobyte: Math.ceil(bytes / 1024) });
    }
  };
  for await (const piece of whole) {
    bytes += piece.length;
    if (bytes > LIMITS.fileBytes) throw new Refusal('body-too-large', { limit: LIMITS.fileBytes });
    onBytes(bytes);
    yield decode(piece);
  }
  yield decode();
}

/** What the parser refuses, in our words. */
function parseRefusal(error: unknown): unknown {
  if (!(error instanceof CsvError)) return error;
  const where = `line ${(error as unknown as { lines?: number }).lines ?? 1}`;
  switch (error.code) {
    case 'CSV_QUOTE_NOT_CLOSED':
      return notATable('file-quote-open', where);
    case 'INVALID_OPENING_QUOTE':
    case 'CSV_INVALID_CLOSING_QUOTE':
      return notATable('file-quote-stray', where);
    case 'CSV_MAX_RECORD_SIZE':
      return notATable('file-row-long', where, { most: LIMITS.fileRowChars });
    default:
      return error;
  }
}

/** Rows of a text, without those that have nothing in any cell. */
async function* rowsOf(text: AsyncIterable<string>, delimiter: Delimiter): AsyncGenerator<FileRow> {
  const parser = parse({
    delimiter,
    record_delimiter: ['\r\n', '\n', '\r'],
    relax_column_count: true,
    skip_empty_lines: true,
    info: true,
    max_record_size: LIMITS.fileRowChars,
  });
  const fed = pipeline(text, parser);
  fed.catch(() => undefined);
  try {
    for await (const { record, info } of parser as AsyncIterable<{ record: string[]; info: Info }>) {
      if (record.length > LIMITS.fileColumns)
        throw notATable('file-columns-many', `line ${info.lines}`, { most: LIMITS.fileColumns });
      if (record.every((cell) => cell.trim() === '')) continue;
      // Lines are counted where a row ends; it begins as many earlier as its cells have line breaks.
      const breaks = record.reduce((sum, cell) => sum + (cell.match(/\r\n|\n|\r/g)?.length ?? 0), 0);
      yield { line: info.lines - breaks, cells: record };
    }
    await fed;
  } catch (error) {
    throw parseRefusal(error);
  }
}

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
interface OpenedBy {
  readonly key: FileKey | readonly OwnCertificate[] | undefined;
  readonly signer: string | undefined;
}

/** Reads a file into sealed blocks, row by row; memory holds one block of it at a time. */
async function stage(
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
          : rowsOf(pieces, delimiter);
  for await (const row of rows) {
    pending.push(row);
    if (pending.length > BLOCK_ROWS) await flush(false);
  }
  await flush(true);
  await keeping.ended();
  if (kept === 0) throw notATable('file-header-only', 'file');
  return { ...described!, bytes, rows: kept, encoding, delimiter };
}

export const receiveImport: Handler<'imports.receive'> = async (deps, call) => {
  const { query, file } = call;
  const mapping = query.mapping === undefined ? undefined : await readMapping(deps, query.mapping);
  if (mapping && mapping.kind !== query.kind) throw badField('query.mapping', 'other-kind-of-mapping');
  if (query.form !== undefined && query.kind !== 'tokens') throw badField('query.form', 'other-kind-of-mapping');
  // Whoever names a signer must not believe that a table was verified.
  if (call.fileSigner !== undefined && query.form !== 'pskc')
    throw badField('header.nlatch-file-signer', 'signer-not-pskc');
  const opened: OpenedBy = {
    key: fileKeyOf(call.fileKey) ?? (query.form === 'pskc' ? await ownCertificates(deps) : undefined),
    signer: fileSignerOf(call.fileSigner),
  };
  const id = newId(deps);
  const now = deps.now();
  // Not yet received: what is cut off on the way is swept away with its hour.
  await carryOut(
    deps,
    insertion('imports', {
      id: idBytes(id),
      kind: query.kind,
      state: 'staged',
      fileName: query.fileName,
      columns: '[]',
      rules: '{}',
      newGroups: '[]',
      mappingId: idBytesOrNull(mapping?.id),
      startedBy: idBytes(call.actor.personId),
      createdAt: now,
      keptUntil: new Date(now.getTime() + 3_600_000),
    }),
  );
  const { pieces, ...parts } = await headOf(file);
  const staged = await stage(deps, deps, id, parts, query, opened, mapping).catch(async (error: unknown) => {
    await letGoBy(pieces);
    await write(deps, 'DELETE FROM imports WHERE id = :id', { id: idBytes(id) });
    throw error;
  });
  await inTransaction(deps, async (work) => {
    await carryOut(
      work,
      updateOf('imports', idBytes(id), {
        received: true,
        bytes: staged.bytes,
        fileRows: staged.rows,
        encoding: staged.encoding,
        delimiter: staged.delimiter,
        headed: staged.headed,
        columns: JSON.stringify(staged.columns),
        rules: JSON.stringify(staged.rules),
        stepTotal: staged.rows,
        keptUntil: new Date(now.getTime() + LIMITS.importDays * 86_400_000),
      }),
    );
    await work.trail(
      entryOf(call, 'import.received', { kind: 'import', id }, { details: { kind: query.kind, rows: staged.rows } }),
    );
  });
  const received = await readImport(deps, id);
  return { answer: await showImport(deps, received), version: received.version };
};
