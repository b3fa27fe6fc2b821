/** Where in a rulebook’s text somebody types: by the keys that stand around it, as far as the text goes. */
export interface Place {
  /** Keys from the outside in; `[]` for an item of a list. */
  readonly path: readonly string[];
  /** Whether a key is being typed, or what a key says. Where a line begins it may become either. */
  readonly at: 'key' | 'value' | 'either';
  /** What was typed of it so far, and how many characters that takes before the place; quotes belong to them. */
  readonly typed: string;
  readonly length: number;
}

/** A key at the beginning of what is left of a line. */
const KEY = /^("(?:[^"\\]|\\.)*"|'(?:[^']|'')*'|[^\s"'#[\]{},:][^#:[\]{},]*?)\s*:(?=\s|$)/;

const plain = (word: string): string => word.trim().replace(/^(["'])(.*?)\1?$/, '$2');

interface Standing {
  readonly indent: number;
  readonly key: string;
}

/** One bracket that is open, and the key that is being said inside braces. */
interface Bracket {
  readonly kind: '[' | '{';
  key: string | undefined;
}

/** Follows brackets through what a line says; answers what was typed since the last mark between things. */
function followFlow(said: string, open: Bracket[]): string {
  let since = '';
  let quote = '';
  for (const [i, character] of [...said].entries()) {
    const inner = open.at(-1);
    if (quote !== '') {
      since += character;
      if (character === quote) quote = '';
    } else if (since.trim() === '' && (character === '"' || character === "'")) {
      quote = character;
      since = character;
    } else if (character === '#' && /\s/.test(said[i - 1] ?? ' ')) {
      // A comment hides the rest of the line, and nothing is typed in it.
      return '';
    } else if ((character === '[' || character === '{') && since.trim() === '') {
      open.push({ kind: character, key: undefined });
      since = '';
    } else if (inner && (character === ']' || character === '}')) {
      open.pop();
      since = '';
    } else if (inner && character === ',') {
      inner.key = undefined;
      since = '';
    } else if (inner?.kind === '{' && inner.key === undefined && character === ':') {
      inner.key = plain(since);
      since = '';
    } else since += character;
  }
  return since;
}

/**
 * Where the end of a text stands: what was typed before the cursor says it, also where what follows is not right yet. Reads as much of
 * YAML as a rulebook may use: maps and lists, by indentation and in brackets; no block scalars.
 *
 * @param before the text up to the cursor
 * @returns undefined within a comment
 */
export function placeOf(before: string): Place | undefined {
  const stack: Standing[] = [];
  const open: Bracket[] = [];
  let typed = '';
  let at: Place['at'] = 'either';
  const lines = before.split('\n');
  for (const [number, line] of lines.entries()) {
    const last = number === lines.length - 1;
    if (open.length > 0) {
      typed = followFlow(line, open);
      at = 'value';
      continue;
    }
    if (/^\s*(#|$)/.test(line) && !last) continue;
    if (/^\s*#/.test(line) || (last && /\s#/.test(line) && !/["']/.test(line))) return undefined;
    let indent = line.length - line.trimStart().length;
    let rest = line.trimStart();
    const leave = (to: (one: Standing) => boolean) => {
      while (stack.length > 0 && to(stack.at(-1)!)) stack.pop();
    };
    for (let dash = /^-(\s+|$)/.exec(rest); dash; dash = /^-(\s+|$)/.exec(rest)) {
      // A list may stand as deep as the key that it belongs to.
      const depth = indent;
      leave((one) => (one.key === '[]' ? one.indent >= depth : one.indent > depth));
      stack.push({ indent: depth, key: '[]' });
      indent += dash[0].length;
      rest = rest.slice(dash[0].length);
    }
    // An item’s own keys stand deeper than its dash.
    const depth = indent;
    leave((one) => one.indent >= depth && !(one.key === '[]' && one.indent < depth));
    const key = KEY.exec(rest);
    if (!key) {
      typed = followFlow(rest, open);
      at = open.length > 0 ? 'value' : 'either';
      continue;
    }
    stack.push({ indent, key: plain(key[1]!) });
    typed = followFlow(rest.slice(key[0].length), open);
    at = 'value';
  }
  const path = [
    ...stack.map(({ key }) => key),
    ...open.flatMap(({ kind, key }) => (kind === '[' ? ['[]'] : key === undefined ? [] : [key])),
  ];
  const inner = open.at(-1);
  if (inner?.kind === '{' && inner.key === undefined) at = 'key';
  const word = typed.trimStart();
  return { path, at, typed: word.replace(/^["']/, ''), length: word.length };
}
