import stringWidth from 'string-width';
import { words } from '../words/index.js';

export interface Column<Row> {
  readonly heading: string;
  readonly cell: (row: Row) => string;
  readonly align?: 'right';
  /** Whether it may be cut where the line is too long. */
  readonly flexible?: boolean;
  /** Flexible, but what does not fit goes on in the next line: for sentences. */
  readonly wraps?: boolean;
}

const GAP = 2;
/** A sentence in a column narrower than this is a ladder of words. */
const LEAST_SENTENCE = 15;

/** Text cut to a width, by what it takes on screen rather than by its characters. */
function cut(text: string, width: number): string {
  if (stringWidth(text) <= width) return text;
  let kept = '';
  for (const char of text) {
    if (stringWidth(kept + char) > width - 1) break;
    kept += char;
  }
  return `${kept}…`;
}

/** Control characters in what others typed must not reach the terminal. */
export const plain = (text: string) => text.replace(/[\p{Cc}\u202A-\u202E\u2066-\u2069]/gu, '�');

/** Text broken between words to lines of a width; a word longer than that is cut. */
function wrap(text: string, width: number): string[] {
  const lines: string[] = [];
  for (const word of text.split(' ')) {
    const last = lines.at(-1);
    if (last !== undefined && stringWidth(`${last} ${word}`) <= width) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(cut(word, width));
  }
  return lines;
}

function pad(text: string, width: number, right: boolean): string {
  const space = ' '.repeat(Math.max(0, width - stringWidth(text)));
  return right ? space + text : text + space;
}

/** A table that fits the width: flexible columns give way, widest first. */
export function table<Row>(
  rows: readonly Row[],
  columns: readonly Column<Row>[],
  options: { width: number; colour: boolean },
): string {
  if (rows.length === 0) return `${words.facts.empty}\n`;
  const cells = rows.map((row) => columns.map((column) => plain(column.cell(row))));
  const widths = columns.map((column, i) =>
    Math.max(stringWidth(column.heading), ...cells.map((line) => stringWidth(line[i]!))),
  );
  const least = columns.map((column) => Math.max(column.wraps ? LEAST_SENTENCE : 6, stringWidth(column.heading)));
  const total = () => widths.reduce((sum, width) => sum + width + GAP, -GAP);
  while (total() > options.width) {
    const candidates = columns.flatMap((column, i) =>
      (column.flexible || column.wraps) && widths[i]! > least[i]! ? [i] : [],
    );
    if (candidates.length === 0) break;
    const widest = candidates.reduce((a, b) => (widths[b]! > widths[a]! ? b : a));
    widths[widest]! -= 1;
  }
  const line = (parts: readonly string[]) =>
    parts
      .map((part, i) => pad(cut(part, widths[i]!), widths[i]!, columns[i]!.align === 'right'))
      .join(' '.repeat(GAP))
      .trimEnd();
  const lines = (parts: readonly string[]) => {
    const broken = parts.map((part, i) => (columns[i]!.wraps ? wrap(part, widths[i]!) : [part]));
    const height = Math.max(...broken.map((cell) => cell.length));
    return Array.from({ length: height }, (_, row) => line(broken.map((cell) => cell[row] ?? ''))).join('\n');
  };
  const heading = line(columns.map((column) => column.heading));
  return [options.colour ? `\u001b[1m${heading}\u001b[0m` : heading, ...cells.map(lines)].join('\n') + '\n';
}

/** Names and values, one a line. */
export function facts(pairs: readonly (readonly [name: string, value: string])[]): string {
  const width = Math.max(...pairs.map(([name]) => stringWidth(name)));
  return pairs.map(([name, value]) => `${pad(name, width, false)}  ${plain(value)}`.trimEnd()).join('\n') + '\n';
}
