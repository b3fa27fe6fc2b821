import type { SaxesTagNS } from 'saxes';

/** Namespaces in scope, by prefix; the default under the empty one. */
type Scope = ReadonlyMap<string, string>;

const XML = 'http://www.w3.org/XML/1998/namespace';
const XMLNS = 'http://www.w3.org/2000/xmlns/';

const TEXT: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '\r': '&#xD;' };
const VALUE: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '"': '&quot;',
  '\t': '&#x9;',
  '\n': '&#xA;',
  '\r': '&#xD;',
};
const escapedText = (text: string) => text.replace(/[&<>\r]/g, (c) => TEXT[c]!);
const escapedValue = (value: string) => value.replace(/[&<"\t\n\r]/g, (c) => VALUE[c]!);

/** By code points, as both specifications order names. */
const byName = (a: string, b: string) => Buffer.compare(Buffer.from(a), Buffer.from(b));

interface Level {
  readonly name: string;
  /** What the document has in scope here, and what the output has said of it so far. */
  readonly scope: Scope;
  readonly rendered: Scope;
}

/**
 * Writes an element and all that is in it in one canonical form, as its events come: Canonical XML 1.0 without comments, or
 * Exclusive XML Canonicalization 1.0 without a list of inclusive prefixes. Nothing is kept but the path to where it is.
 */
export class Canonicaliser {
  readonly #exclusive: boolean;
  readonly #out: (piece: string) => void;
  readonly #outer: Scope;
  readonly #path: Level[] = [];

  /**
   * @param outer namespaces in scope around the element. The inclusive form writes them at the element (Canonical XML 1.0
   *   §2.4, subsets of a document), the exclusive one where they are used.
   */
  constructor(exclusive: boolean, out: (piece: string) => void, outer: Scope = new Map()) {
    this.#exclusive = exclusive;
    this.#out = out;
    this.#outer = outer;
  }

  /** How deep it stands; 0 before the element and after it. */
  get depth(): number {
    return this.#path.length;
  }

  open(tag: SaxesTagNS): void {
    const parent = this.#path[this.#path.length - 1];
    const scope = scopeWithin(parent?.scope ?? this.#outer, tag);
    const before: Scope = parent?.rendered ?? new Map();
    const attributes = Object.values(tag.attributes).filter(({ uri, name }) => uri !== XMLNS && name !== 'xmlns');
    const used = this.#exclusive
      ? new Set([tag.prefix, ...attributes.map(({ prefix }) => prefix).filter((prefix) => prefix !== '')])
      : scope.keys();
    const rendered = new Map(before);
    const declared: [string, string][] = [];
    for (const prefix of used) {
      const uri = scope.get(prefix) ?? '';
      // The xml prefix is bound without saying so; an empty default is said only where it undoes another.
      if (prefix === 'xml' || (before.get(prefix) ?? '') === uri) continue;
      declared.push([prefix, uri]);
      rendered.set(prefix, uri);
    }
    declared.sort(([a], [b]) => byName(a, b));
    attributes.sort((a, b) => byName(a.uri, b.uri) || byName(a.local, b.local));
    const namespaces = declared.map(
      ([prefix, uri]) => ` xmlns${prefix === '' ? '' : `:${prefix}`}="${escapedValue(uri)}"`,
    );
    const values = attributes.map(({ name, value }) => ` ${name}="${escapedValue(value)}"`);
    this.#out(`<${tag.name}${namespaces.join('')}${values.join('')}>`);
    this.#path.push({ name: tag.name, scope, rendered });
  }

  text(text: string): void {
    this.#out(escapedText(text));
  }

  close(): void {
    this.#out(`</${this.#path.pop()!.name}>`);
  }
}

/** The namespaces in scope inside an element. */
export function scopeWithin(outer: Scope, tag: SaxesTagNS): Scope {
  const declared = Object.entries(tag.ns);
  return declared.length === 0 ? outer : new Map([...outer, ...declared]);
}

/** Whether an element has attributes of the xml prefix, which the inclusive form would hand down to what is within. */
export const hasXmlAttributes = (tag: SaxesTagNS): boolean =>
  Object.values(tag.attributes).some(({ uri }) => uri === XML);
