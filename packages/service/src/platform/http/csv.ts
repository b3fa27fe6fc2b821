import { Readable } from 'node:stream';
import { stringify } from 'csv-stringify/sync';

/** Lines as RFC 4180 has them; what a spreadsheet would take for a formula is made text. */
export const csvLines = (rows: readonly (readonly string[])[]): string =>
  stringify(rows as string[][], { record_delimiter: 'windows', escape_formulas: true });

/** Page after page of a list, to its end. */
export async function* pagesOf<Row>(
  read: (cursor: string | undefined) => Promise<{ readonly rows: readonly Row[]; readonly next: string | null }>,
): AsyncGenerator<readonly Row[]> {
  let cursor: string | undefined;
  do {
    const page = await read(cursor);
    yield page.rows;
    cursor = page.next ?? undefined;
  } while (cursor !== undefined);
}

/** Pages as CSV while they are read, so that a million rows need no more memory than two hundred. */
export function csvStream<Row>(
  columns: readonly string[],
  pages: AsyncIterable<readonly Row[]>,
  cells: (row: Row) => readonly string[],
): Readable {
  async function* text() {
    yield csvLines([columns]);
    for await (const rows of pages) if (rows.length > 0) yield csvLines(rows.map(cells));
  }
  return Readable.from(text());
}
