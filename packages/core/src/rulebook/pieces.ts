import { isMap, isSeq, parseDocument, type Node, type YAMLMap, type YAMLSeq } from 'yaml';

/** A rulebook's text in pieces that are put together again to the same bytes: what stands before, each rule, what stands after. */
export interface Pieces {
  readonly head: string;
  readonly rules: readonly Piece[];
  readonly tail: string;
  /** Where the outcome of *otherwise* stands, of the whole text. */
  readonly otherwise: readonly [from: number, to: number];
  /** Columns before the hyphen of a rule. */
  readonly indent: number;
}

/** A rule as it was typed. */
export interface Piece {
  /** Blank lines and comments above it. */
  readonly above: string;
  readonly rule: string;
  /** Comments below it that stand deeper than rules do. */
  readonly below: string;
}

const indentOf = (line: string): number => line.length - line.trimStart().length;
const isTrivia = (line: string): boolean => /^(?:#.*)?$/.test(line.trim());

/** Where the last value within something ends; comments behind it are not counted. */
function endOf(node: Node): number {
  const items = isMap(node)
    ? node.items.map(({ key, value }) => (value ?? key) as Node)
    : isSeq(node)
      ? node.items
      : [];
  const last = items.at(-1) as Node | undefined;
  return last && !(isMap(node) || isSeq(node) ? node.flow : false) ? endOf(last) : node.range![1];
}

/**
 * Takes a rulebook's text apart. Comments above a rule are of that rule, as far in as it or further out; those that stand deeper
 * are of the rule before.
 *
 * @returns undefined for a list that is written in one line, or holds nothing
 */
export function piecesOf(text: string): Pieces | undefined {
  const document = parseDocument(text);
  if (!isMap(document.contents)) return undefined;
  const list = document.get('rules', true) as YAMLSeq<YAMLMap<Node, Node>> | undefined;
  const otherwise = document.get('otherwise', true) as Node | undefined;
  if (!isSeq(list) || list.flow === true || list.items.length === 0 || !otherwise?.range) return undefined;
  const lines = text.split(/(?<=\n)/);
  const starts: number[] = [];
  lines.reduce((at, line) => (starts.push(at), at + line.length), 0);
  const lineAt = (offset: number) => starts.findLastIndex((start) => start <= offset);
  const places = list.items.map((item) => {
    const { range } = item;
    let first = lineAt(range![0]);
    // The hyphen may stand in a line of its own.
    while (first > 0 && !/^\s*-/.test(lines[first]!)) first -= 1;
    const content = text.slice(0, endOf(item)).trimEnd().length;
    return { first, last: lineAt(Math.max(content - 1, range![0])) };
  });
  const indent = indentOf(lines[places[0]!.first]!);
  const begins = places.map(({ first }, i) => {
    const after = i === 0 ? lines.findIndex((line) => /^rules\s*:/.test(line)) : places[i - 1]!.last;
    let above = first;
    while (above - 1 > after && isTrivia(lines[above - 1]!)) {
      const line = lines[above - 1]!;
      if (line.trim() !== '' && indentOf(line) > indent) break;
      above -= 1;
    }
    return above;
  });
  const end = (() => {
    let below = places.at(-1)!.last + 1;
    while (below < lines.length && /^\s*#/.test(lines[below]!) && indentOf(lines[below]!) > indent) below += 1;
    return below;
  })();
  const between = (from: number, to: number) => lines.slice(from, to).join('');
  return {
    head: between(0, begins[0]!),
    rules: places.map(({ first, last }, i) => ({
      above: between(begins[i]!, first),
      rule: between(first, last + 1),
      below: between(last + 1, begins[i + 1] ?? end),
    })),
    tail: between(end, lines.length),
    otherwise: [otherwise.range[0], otherwise.range[1]],
    indent,
  };
}

/** A rule moved in or out, line by line. */
export function shifted(text: string, from: number, to: number): string {
  if (from === to) return text;
  const by = ' '.repeat(Math.max(0, to - from));
  const less = Math.max(0, from - to);
  return text
    .split(/(?<=\n)/)
    .map((line) => (line.trim() === '' ? line : by + line.slice(Math.min(less, indentOf(line)))))
    .join('');
}

/** Pieces as one text, a blank line between rules that were moved next to one another. */
export function joined({ head, rules, tail }: Pick<Pieces, 'head' | 'rules' | 'tail'>, before: Pieces): string {
  const end = head.includes('\r\n') ? '\r\n' : '\n';
  const first = before.rules[0];
  const all = rules.map((piece, i) => {
    const { rule, below } = piece;
    const leads = piece.above.replace(/^(?:[ \t]*\r?\n)+/, '');
    const known = before.rules.includes(piece);
    const blank = leads !== piece.above;
    // Only what changed its place at the top is spaced anew.
    const above =
      i === 0
        ? known && piece === first
          ? piece.above
          : leads
        : blank || (known && piece !== first)
          ? piece.above
          : end + leads;
    const whole = above + rule;
    return (whole.endsWith('\n') ? whole : whole + end) + below;
  });
  return head + all.join('') + tail;
}
