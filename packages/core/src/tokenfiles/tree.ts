import { SaxesParser, type SaxesTagNS } from 'saxes';
import type { PskcProblemId } from '../vocabulary.js';

/** Why a file cannot be read: what, and in which line. Never what stood there, which may be a secret. */
export class FileProblem extends Error {
  constructor(
    readonly what: PskcProblemId,
    readonly line: number,
    readonly facts: Readonly<Record<string, string | number>> = {},
  ) {
    super(what);
  }
}

/** An element with its children, in memory. */
export interface Element {
  /** Its namespace's short name and its own, such as `pskc:Key`; `?:x` for namespaces that mean nothing here. */
  readonly name: string;
  /** Those of no namespace, which is where every attribute that is read here stands. */
  readonly attributes: ReadonlyMap<string, string>;
  readonly children: Element[];
  text: string;
  readonly line: number;
}

/** What RFC 6030 has no element for, in files of ours: elements of another namespace may stand in its `Data` (§4.2). */
export const OWN_NAMESPACE = 'urn:x-nimble-latch:token';

/** Namespaces of RFC 6030 §2 and of what it refers to. */
const NAMESPACES = new Map([
  [OWN_NAMESPACE, 'nl'],
  ['urn:ietf:params:xml:ns:keyprov:pskc', 'pskc'],
  ['http://www.w3.org/2001/04/xmlenc#', 'xenc'],
  ['http://www.w3.org/2009/xmlenc11#', 'xenc11'],
  ['http://www.w3.org/2000/09/xmldsig#', 'ds'],
  ['http://www.rsasecurity.com/rsalabs/pkcs/schemas/pkcs-5v2-0#', 'pkcs5'],
]);

/** Follows every event of a file, besides what is read from it. */
export interface Watcher {
  opened(tag: SaxesTagNS): void;
  said(text: string): void;
  closed(): void;
  instructed(): void;
}

const NO_ATTRIBUTES: ReadonlyMap<string, string> = new Map();
const DEEPEST = 24;
const MOST_ELEMENTS = 500;
const MOST_TEXT = 32 * 1024;
const MOST_ATTRIBUTES = 20;

/**
 * Reads XML as it comes and hands over each child of the root with all that is in it; nothing else is kept, so memory
 * holds one child at a time. No document type, no entities but the five of XML; depth, number and size are bounded.
 */
export class ChildReader {
  readonly #parser: SaxesParser<{ xmlns: true; position: true }>;
  readonly #onRoot: (root: Element) => void;
  readonly #onChild: (child: Element) => void;
  readonly #open: Element[] = [];
  #elements = 0;
  #text = 0;
  #ended = false;

  constructor(onRoot: (root: Element) => void, onChild: (child: Element) => void, watcher?: Watcher) {
    this.#onRoot = onRoot;
    this.#onChild = onChild;
    this.#parser = new SaxesParser({ xmlns: true, position: true });
    this.#parser.on('error', () => this.#refuse('xml'));
    this.#parser.on('doctype', () => this.#refuse('doctype'));
    const said = (text: string) => {
      this.#said(text);
      watcher?.said(text);
    };
    this.#parser.on('opentag', (tag) => {
      this.#opened(tag);
      watcher?.opened(tag);
    });
    this.#parser.on('closetag', () => {
      watcher?.closed();
      this.#closed();
    });
    this.#parser.on('text', said);
    this.#parser.on('cdata', said);
    if (watcher) this.#parser.on('processinginstruction', () => watcher.instructed());
  }

  write(piece: string): void {
    this.#parser.write(piece);
  }

  /** Ends the file. Throws where it was cut short. */
  end(): void {
    this.#parser.close();
    if (!this.#ended) this.#refuse('xml');
  }

  #refuse(what: PskcProblemId, facts: FileProblem['facts'] = {}): never {
    throw new FileProblem(what, this.#parser.line, facts);
  }

  #opened(tag: SaxesTagNS): void {
    const depth = this.#open.length;
    if (depth >= DEEPEST) this.#refuse('too-deep', { most: DEEPEST });
    if (depth === 1) {
      this.#elements = 0;
      this.#text = 0;
    }
    const attributes = Object.values(tag.attributes);
    if (++this.#elements > MOST_ELEMENTS || attributes.length > MOST_ATTRIBUTES) this.#refuse('too-large');
    let values = NO_ATTRIBUTES;
    if (attributes.length > 0) {
      const named = new Map<string, string>();
      for (const { uri, local, value } of attributes) {
        this.#text += value.length;
        // Those of a namespace of its own mean something else, whatever they are called.
        if (uri === '') named.set(local, value);
      }
      values = named;
    }
    const element: Element = {
      name: nameOf(tag),
      attributes: values,
      children: [],
      text: '',
      line: this.#parser.line,
    };
    if (depth === 0) this.#onRoot(element);
    // Of the root only its name and attributes are of use: its children are handed over one by one.
    else if (depth > 1) this.#open[depth - 1]!.children.push(element);
    this.#open.push(element);
  }

  #said(text: string): void {
    const at = this.#open[this.#open.length - 1];
    if (!at || this.#open.length === 1) return;
    this.#text += text.length;
    if (this.#text > MOST_TEXT) this.#refuse('too-large');
    at.text += text;
  }

  #closed(): void {
    const element = this.#open.pop()!;
    if (this.#open.length === 1) this.#onChild(element);
    if (this.#open.length === 0) this.#ended = true;
  }
}

/** Names by namespace: a file has few, and joins each of them thousands of times. */
const names = new Map<string, Map<string, string>>();
const MOST_NAMES = 200;

function nameOf({ uri, local }: SaxesTagNS): string {
  const space = NAMESPACES.get(uri);
  if (space === undefined) return `?:${local}`;
  let known = names.get(space);
  if (!known) names.set(space, (known = new Map<string, string>()));
  let name = known.get(local);
  if (name === undefined) {
    name = `${space}:${local}`;
    if (known.size < MOST_NAMES) known.set(local, name);
  }
  return name;
}

/** The first child of a name; undefined where there is none. */
export const childOf = (element: Element | undefined, name: string): Element | undefined =>
  element?.children.find((child) => child.name === name);

/** Down through first children. */
export const downTo = (element: Element | undefined, ...names: readonly string[]): Element | undefined =>
  names.reduce<Element | undefined>((at, name) => childOf(at, name), element);

export const textOf = (element: Element | undefined): string | undefined => {
  const text = element?.text.trim();
  return text === '' ? undefined : text;
};
