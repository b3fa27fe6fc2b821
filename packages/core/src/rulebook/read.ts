import {
  isMap,
  isScalar,
  isSeq,
  LineCounter,
  parseDocument,
  visit,
  type Document,
  type Node,
  type YAMLMap,
} from 'yaml';
import type { RulebookProblemId } from '../vocabulary.js';
import type { TextPosition, RulebookProblem } from './form.js';

/** Bytes of a rulebook's text: ten thousand rules of a hundred characters. */
export const LONGEST_TEXT = 1_000_000;
/** Maps and lists inside one another: a rulebook needs five. */
const DEEPEST = 12;

/** A value of a text with where it stands; knows how to say what is wrong with it. */
export class Value {
  readonly #reader: Reader;
  readonly #node: Node | null;
  readonly #at: TextPosition;

  constructor(reader: Reader, node: Node | null, at: TextPosition) {
    this.#reader = reader;
    this.#node = node;
    this.#at = at;
  }

  /** Notes a problem here. */
  wrong(what: RulebookProblemId, facts: RulebookProblem['facts'] = {}): undefined {
    this.#reader.problems.push({ ...this.#at, what, facts });
    return undefined;
  }

  /** The text of a scalar as it was written; numbers and dates too. */
  text(): string | undefined {
    if (isScalar(this.#node) && this.#node.value !== null && typeof this.#node.value !== 'object')
      return typeof this.#node.value === 'string' ? this.#node.value : (this.#node.source ?? String(this.#node.value));
    return this.wrong('expected-text');
  }

  number(least: number, most: number): number | undefined {
    const value = isScalar(this.#node) ? this.#node.value : undefined;
    if (typeof value === 'number' && value >= least && value <= most) return value;
    return this.wrong('number', { least, most });
  }

  oneOf<T extends string>(choices: readonly T[]): T | undefined {
    const value = isScalar(this.#node) ? this.#node.value : undefined;
    return choices.find((choice) => choice === value) ?? this.wrong('expected-one-of', { choices: choices.join(', ') });
  }

  isText(): boolean {
    return isScalar(this.#node) && typeof this.#node.value === 'string';
  }

  isTrue(): boolean | undefined {
    const value = isScalar(this.#node) ? this.#node.value : undefined;
    return typeof value === 'boolean' ? value : this.wrong('expected-one-of', { choices: 'true, false' });
  }

  list(most: number): Value[] | undefined {
    if (!isSeq(this.#node)) return this.wrong('expected-list');
    if (this.#node.items.length > most) return this.wrong('list-too-long', { most });
    return this.#node.items.map((item) => this.#reader.value(item as Node | null, this.#at));
  }

  /** The values of a map by key; keys that are not among those named are wrong. */
  map<K extends string>(keys: readonly K[], needed: readonly K[] = []): Map<K, Value> | undefined {
    if (!isMap(this.#node)) return this.wrong('expected-map', { keys: keys.join(', ') });
    const map = this.#node as YAMLMap<Node, Node | null>;
    const found = new Map<K, Value>();
    for (const { key, value } of map.items) {
      const name = isScalar(key) ? String(key.value) : '';
      const known = keys.find((one) => one === name);
      const at = this.#reader.placeOf(key, this.#at);
      if (known === undefined)
        new Value(this.#reader, key, at).wrong('key-unknown', { key: name, keys: keys.join(', ') });
      else found.set(known, this.#reader.value(value, at));
    }
    for (const key of needed) if (!found.has(key)) this.wrong('key-missing', { key });
    return found;
  }
}

/** Takes a text apart without giving it meaning. */
export class Reader {
  readonly problems: RulebookProblem[] = [];
  readonly #lines = new LineCounter();
  readonly document: Document.Parsed | undefined;

  constructor(text: string) {
    if (text.length > LONGEST_TEXT) {
      this.problems.push({ line: 1, column: 1, what: 'too-long', facts: { most: LONGEST_TEXT } });
      return;
    }
    const document = parseDocument(text, {
      lineCounter: this.#lines,
      // No merging of maps, no numbers in octal or base 60, no tags beyond the plain ones.
      version: '1.2',
      schema: 'core',
      // Keys that stand twice are looked for below: the package compares each with all before it.
      uniqueKeys: false,
      prettyErrors: false,
      maxAliasCount: 0,
    } as Parameters<typeof parseDocument>[1]);
    for (const error of document.errors) {
      const { line, col } = this.#lines.linePos(error.pos[0]);
      const what = error.code === 'MULTIPLE_DOCS' ? 'several-documents' : 'not-yaml';
      this.problems.push({ line, column: col, what, facts: { why: error.message.split('\n')[0]! } });
    }
    if (this.problems.length > 0) return;
    visit(document, {
      Map: (_, map) => {
        const seen = new Set<unknown>();
        for (const { key } of map.items) {
          const name = isScalar(key) ? key.value : undefined;
          if (name !== undefined && seen.has(name)) this.#note(key as Node, 'key-twice');
          seen.add(name);
        }
      },
      Alias: (_, node) => void this.#note(node, 'alias'),
      Node: (_, node, path) => {
        if (node.tag?.startsWith('!')) this.#note(node, 'tag', { tag: node.tag });
        else if ('anchor' in node) this.#note(node, 'alias');
        if (path.filter((part) => isMap(part) || isSeq(part)).length > DEEPEST) {
          this.#note(node, 'too-deep', { most: DEEPEST });
          return visit.BREAK;
        }
        return undefined;
      },
    });
    this.document = document;
  }

  #note(node: Node, what: RulebookProblemId, facts: RulebookProblem['facts'] = {}): void {
    this.problems.push({ ...this.placeOf(node, { line: 1, column: 1 }), what, facts });
  }

  placeOf(node: unknown, otherwise: TextPosition): TextPosition {
    const range = (node as { range?: [number, number, number] | null } | null)?.range;
    if (!range) return otherwise;
    const { line, col } = this.#lines.linePos(range[0]);
    return { line, column: col };
  }

  value(node: Node | null, otherwise: TextPosition): Value {
    return new Value(this, node, this.placeOf(node, otherwise));
  }

  root(): Value {
    return this.value(this.document?.contents ?? null, { line: 1, column: 1 });
  }
}
