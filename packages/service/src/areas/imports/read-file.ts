import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { LIMITS, hint, type HintId } from '@nimble-latch/api';
import { HEAD_BYTES, type Delimiter, type Encoding } from '@nimble-latch/core/tables';
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
export async function* csvRows(text: AsyncIterable<string>, delimiter: Delimiter): AsyncGenerator<FileRow> {
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
