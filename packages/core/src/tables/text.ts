/** How the bytes of a file become text. */
export const ENCODINGS = ['utf-8', 'utf-16le', 'utf-16be', 'windows-1252'] as const;
export type Encoding = (typeof ENCODINGS)[number];

export const DELIMITERS = [',', ';', '\t', '|'] as const;
export type Delimiter = (typeof DELIMITERS)[number];

/** Why bytes are no table. */
export type NotText = 'empty' | 'spreadsheet' | 'binary';

/** Bytes at the beginning of a file that are enough to guess by. */
export const HEAD_BYTES = 64 * 1024;

const startsWith = (bytes: Uint8Array, ...mark: number[]) => mark.every((byte, i) => bytes[i] === byte);

/**
 * Tells the encoding of a table from its beginning: by byte order mark, else UTF-8 where it is valid, else windows-1252,
 * which spreadsheet programs write. A compressed spreadsheet and anything with control characters is not taken for text.
 *
 * @param head the first {@link HEAD_BYTES} of the file, or all of it
 */
export function detectEncoding(
  head: Uint8Array,
): { readonly ok: true; readonly encoding: Encoding } | { readonly ok: false; readonly why: NotText } {
  if (head.length === 0) return { ok: false, why: 'empty' };
  // The beginnings of ZIP archives and of compound documents: how spreadsheet programs keep their own files.
  if (startsWith(head, 0x50, 0x4b, 0x03, 0x04) || startsWith(head, 0xd0, 0xcf, 0x11, 0xe0))
    return { ok: false, why: 'spreadsheet' };
  const encoding = encodingOf(head);
  const text = new TextDecoder(encoding).decode(head, { stream: true });
  if (text.trim() === '') return { ok: false, why: 'empty' };

  if (/[\u0000-\u0008\u000e-\u001f\u007f]/.test(text)) return { ok: false, why: 'binary' };
  return { ok: true, encoding };
}

function encodingOf(head: Uint8Array): Encoding {
  if (startsWith(head, 0xff, 0xfe)) return 'utf-16le';
  if (startsWith(head, 0xfe, 0xff)) return 'utf-16be';
  try {
    // A character cut in two at the end of the head is no error yet.
    new TextDecoder('utf-8', { fatal: true }).decode(head, { stream: true });
    return 'utf-8';
  } catch {
    return 'windows-1252';
  }
}

/** The delimiter that the first line says, as some spreadsheets write it: `sep=;`. */
export function delimiterLine(head: string): Delimiter | undefined {
  const said = /^\ufeff?"?sep=(.)"?\r?(?:\n|$)/i.exec(head)?.[1];
  return DELIMITERS.find((delimiter) => delimiter === said);
}

/** Lines that a delimiter is told from. */
const LINES = 20;

/**
 * Tells the delimiter: the one that cuts the first lines into the most cells, the same number in each. Quoted text is
 * stepped over. A file of one column has none, and gets the comma.
 */
export function detectDelimiter(text: string): Delimiter {
  const said = delimiterLine(text);
  if (said) return said;
  // Comments at the beginning are prose.
  const head = text.replace(/^(?:[ \t]*(?:#[^\n]*)?\r?\n)+/, '') || text;
  let best: Delimiter = ',';
  let bestScore = 0;
  for (const delimiter of DELIMITERS) {
    const counts = cellCounts(head, delimiter);
    const first = counts[0] ?? 1;
    if (first < 2) continue;
    // In prose a space follows; between cells hardly ever.
    const spaced = (head.split(`${delimiter} `).length - 1) / (head.split(delimiter).length - 1);
    const score = first * (counts.filter((count) => count === first).length / counts.length) * (1 - spaced / 2);
    if (score > bestScore) [best, bestScore] = [delimiter, score];
  }
  return best;
}

function cellCounts(head: string, delimiter: string): number[] {
  const counts: number[] = [];
  let cells = 1;
  let inQuotes = false;
  let empty = true;
  for (const c of head) {
    if (c === '"') inQuotes = !inQuotes;
    else if (!inQuotes && c === delimiter) cells++;
    else if (!inQuotes && c === '\n') {
      if (!empty) counts.push(cells);
      if (counts.length === LINES) return counts;
      [cells, empty] = [1, true];
      continue;
    }
    if (c !== '\r') empty = false;
  }
  // The last line may be cut off; it counts only where it is the only one.
  if (counts.length === 0) counts.push(cells);
  return counts;
}
