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
  /** An id: printed as far as tells it from the others, which whatever takes an id takes. */
  readonly id?: boolean;
}

/** Of an id at least the part that tells its time (RFC 9562 §5.7): less would hardly ever be one thing's alone. */
const LEAST_OF_ID = '019ae123-4567'.length;

/** Beginnings that tell the ids of a list apart, all of one length. */
export function beginningsOf(ids: readonly string[]): string[] {
  const sorted = [...new Set(ids)].sort();
  let length = LEAST_OF_ID;
  for (const [i, id] of sorted.entries()) {
    const next = sorted[i + 1] ?? '';
    let same = 0;
    while (same < id.length && id[same] === next[same]) same += 1;
    length = Math.max(length, same + 1);
  }
  return ids.map((id) => id.slice(0, length).replace(/-$/, ''));
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
  const whole = columns.map((column) => rows.map((row) => plain(column.cell(row))));
  const shown = whole.map((cells, i) => (columns[i]!.id ? beginningsOf(cells) : cells));
  const cells = rows.map((_, row) => shown.map((column) => column[row]!));
  const widths = columns.map((column, i) =>
    Math.max(stringWidth(column.heading), ...cells.map((line) => stringWidth(line[i]!))),
  );
  const least = columns.map((column) => Math.max(column.wraps ? LEAST_SENTENCE : 6, stringWidth(column.heading)));
  const total = () => widths.reduce((sum, width) => sum + width + GAP, -GAP);
  while (total() > options.width) {
    const giving = (which: (column: Column<Row>) => boolean | undefined) =>
      columns.flatMap((column, i) => (which(column) && widths[i]! > least[i]! ? [i] : []));
    const flexible = giving((column) => column.flexible ?? column.wraps);
    // Where those do not suffice, the others go on in the next line; numbers and ids stay whole.
    const candidates = flexible.length > 0 ? flexible : giving((column) => !column.id && column.align !== 'right');
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
    const broken = parts.map((part, i) =>
      columns[i]!.flexible && !columns[i]!.wraps ? [part] : wrap(part, widths[i]!),
    );
    const height = Math.max(...broken.map((cell) => cell.length));
    return Array.from({ length: height }, (_, row) => line(broken.map((cell) => cell[row] ?? ''))).join('\n');
  };
  const heading = line(columns.map((column) => column.heading));
  return [options.colour ? `\u001b[1m${heading}\u001b[0m` : heading, ...cells.map(lines)].join('\n') + '\n';
}

/** Text broken between words to lines of a width; a word longer than that stays whole, so that it can be copied. */
function broken(text: string, width: number): string[] {
  const lines: string[] = [];
  for (const word of text.split(' ')) {
    const last = lines.at(-1);
    if (last !== undefined && stringWidth(`${last} ${word}`) <= width) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
}

/** A sentence over as many lines as it takes; what follows the first begins so far to the right. */
export const paragraph = (text: string, { width }: { width: number }, indent = 0): string =>
  text
    .split('\n')
    .map((line) => {
      const before = /^ */.exec(line)![0];
      const first = broken(line.slice(before.length), width - before.length - indent);
      return before + first.join(`\n${before}${' '.repeat(indent)}`);
    })
    .join('\n');

/** Of a line at least so much is its value: with longer names, values begin below them. */
const LEAST_VALUE = 30;

/** Names and values, one below the other; what is too long goes on below itself. */
export function facts(
  pairs: readonly (readonly [name: string, value: string])[],
  { width: most }: { width: number } = { width: 100 },
): string {
  const width = Math.min(Math.max(...pairs.map(([name]) => stringWidth(name))), most - GAP - LEAST_VALUE);
  const indent = ' '.repeat(width + GAP);
  return (
    pairs
      .map(([name, value]) => {
        const lines = broken(plain(value), most - width - GAP);
        const apart = stringWidth(name) > width ? [name, ''] : [pad(name, width, false)];
        const [first = '', ...rest] = lines;
        return [
          `${apart.join('\n'.padEnd(width + 1))}${' '.repeat(GAP)}${first}`.trimEnd(),
          ...rest.map((one) => indent + one),
        ].join('\n');
      })
      .join('\n') + '\n'
  );
}
