import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { LIMITS, hint, type HintId } from '@nimble-latch/api';
import { HEAD_BYTES, type Delimiter } from '@nimble-latch/core/tables';
import { CsvError, parse, type Info } from 'csv-parse';
import { Refusal } from '../../platform/errors.js';
import { type FileRow } from './blocks.js';

export const notATable = (id: HintId, where: string, facts?: Record<string, string | number>) =>
  new Refusal('not-a-table', {}, [{ where, what: hint(id, facts) }]);

/** The beginning of a stream, the whole of it once more, and a way to let the rest of it go by. */
export async function headOf(file: Readable) {
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
export async function letGoBy(pieces: AsyncIterator<Buffer>): Promise<void> {
  try {
    let bytes = 0;
    for (let next = await pieces.next(); !next.done && bytes < LIMITS.fileBytes; next = await pieces.next())
      bytes += next.value.length;
  } catch {
    // The sender has gone.
  }
}

/** Bytes as text, strictly: what is not of this encoding ends it. Counts the bytes and refuses more than a file may have. */
export async function* decoded(
  whole: AsyncIterable<Buffer>,
  encoding: string,
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

/** How a table is cut into rows, beside what stands between cells. */
export interface Cutting {
  readonly delimiter: Delimiter;
  /** Its first line says what stands between cells, as spreadsheets write it. */
  readonly delimiterLine: boolean;
  /** Quotes may stand within a cell: texts that spreadsheets keep as formulas (="00123"), and comments. */
  readonly looseQuotes: boolean;
  /** Whether a cell is a heading that is understood. */
  readonly isHeading: (cell: string) => boolean;
  readonly onComment: () => void;
}

/** A quote within a cell that is not quoted is a mistake, but for a formula that is a text, and in a comment. */
function looseCells() {
  let comment = false;
  return (cell: string, { quoting, lines, index }: { quoting: boolean; lines: number; index: number }): string => {
    if (index === 0) comment = !quoting && cell.startsWith('#');
    if (quoting || comment || !cell.includes('"') || /^="[^"]*"$/.test(cell)) return cell;
    throw notATable('file-quote-stray', `line ${lines}`);
  };
}

/** Rows of a text, without comments and those that have nothing in any cell. */
export async function* csvRows(text: AsyncIterable<string>, cutting: Cutting): AsyncGenerator<FileRow> {
  const parser = parse({
    delimiter: cutting.delimiter,
    record_delimiter: ['\r\n', '\n', '\r'],
    relax_column_count: true,
    skip_empty_lines: true,
    info: true,
    max_record_size: LIMITS.fileRowChars,
    ...(cutting.looseQuotes ? { relax_quotes: true, cast: looseCells() } : {}),
  });
  const fed = pipeline(text, parser);
  fed.catch(() => undefined);
  async function* rows(): AsyncGenerator<FileRow> {
    for await (const { record, info } of parser as AsyncIterable<{ record: string[]; info: Info }>) {
      if (record.length > LIMITS.fileColumns)
        throw notATable('file-columns-many', `line ${info.lines}`, { most: LIMITS.fileColumns });
      if (record.every((cell) => cell.trim() === '')) continue;
      if (cutting.delimiterLine && info.lines === 1) continue;
      // Lines are counted where a row ends; it begins as many earlier as its cells have line breaks.
      const breaks = record.reduce((sum, cell) => sum + (cell.match(/\r\n|\n|\r/g)?.length ?? 0), 0);
      yield { line: info.lines - breaks, cells: record };
    }
    await fed;
  }
  try {
    yield* withoutComments(rows(), cutting);
  } catch (error) {
    throw parseRefusal(error);
  }
}

/**
 * Passes over lines that begin with # and are comments: at the beginning those that do not name the columns, further on those of
 * one cell. What has as many cells as the others is a row, whatever it begins with.
 */
async function* withoutComments(
  rows: AsyncIterable<FileRow>,
  { isHeading, onComment }: Cutting,
): AsyncGenerator<FileRow> {
  let width: number | undefined;
  let last: FileRow | undefined;
  for await (const row of rows) {
    if (row.cells[0]!.startsWith('#')) {
      if (width === undefined) {
        if (last) onComment();
        last = row;
        continue;
      }
      if (row.cells.length === 1 && width > 1) {
        onComment();
        continue;
      }
    }
    if (width === undefined) {
      width = row.cells.length;
      if (last) {
        const [first, ...others] = last.cells;
        const cells = [first!.replace(/^#+\s*/, ''), ...others];
        // The names of the columns behind a mark, as some tables have them.
        if (cells.length === width && width > 1 && cells.some(isHeading)) yield { line: last.line, cells };
        else onComment();
      }
    }
    yield row;
  }
  if (width === undefined && last) onComment();
}
