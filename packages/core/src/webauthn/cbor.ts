import { Tokenizer, Type, type Token } from 'cborg';

/** What authenticators say in CBOR: no floats, no tags, no undefined; integers within 2^53. */
export type Cbor = number | string | Uint8Array | boolean | null | readonly Cbor[] | ReadonlyMap<number | string, Cbor>;
export type CborMap = ReadonlyMap<number | string, Cbor>;

/** CTAP 2.1 §6: four levels at most. */
const MOST_LEVELS = 4;
/** Members of one array or map. */
const MOST_MEMBERS = 64;

export class CborProblem extends Error {}

/**
 * Decodes the first item of some bytes.
 *
 * The profile is CTAP 2.1 §6, which WebAuthn asks for: definite lengths, integers and lengths in their shortest form, no key
 * twice, four levels at most. Everything that is not named here is refused.
 *
 * @param order whether keys must also come in canonical order. What the client wrote around it (the attestation object) is read
 *   in any order: nothing depends on it, and not all of them keep it.
 * @returns the item and how many bytes it took
 * @throws CborProblem
 */
export function decodeFirstCbor(bytes: Uint8Array, order: 'canonical' | 'any'): { value: Cbor; length: number } {
  const tokens = new Tokenizer(bytes, {
    strict: true,
    allowIndefinite: false,
    allowUndefined: false,
    allowNaN: false,
    allowInfinity: false,
    allowBigInt: false,
  });
  const value = new Reader(bytes, tokens, order).item(0);
  return { value, length: tokens.pos() };
}

/** Decodes bytes that are exactly one map. @throws CborProblem */
export function decodeCborMap(bytes: Uint8Array, order: 'canonical' | 'any'): CborMap {
  const { value, length } = decodeFirstCbor(bytes, order);
  if (length !== bytes.length || !(value instanceof Map)) throw new CborProblem('expected one map');
  return value as CborMap;
}

class Reader {
  readonly #bytes: Uint8Array;
  readonly #tokens: Tokenizer;
  readonly #order: 'canonical' | 'any';

  constructor(bytes: Uint8Array, tokens: Tokenizer, order: 'canonical' | 'any') {
    this.#bytes = bytes;
    this.#tokens = tokens;
    this.#order = order;
  }

  item(level: number): Cbor {
    const token = this.#next();
    const value: unknown = token.value;
    switch (token.type) {
      case Type.uint:
      case Type.negint:
        if (!Number.isSafeInteger(value)) throw new CborProblem('integer too large');
        return value as number;
      case Type.bytes:
        return value as Uint8Array;
      case Type.string:
        return this.#text(value as string);
      case Type.true:
      case Type.false:
        return value as boolean;
      case Type.null:
        return null;
      case Type.array:
        return Array.from({ length: this.#members(token, level) }, () => this.item(level + 1));
      case Type.map:
        return this.#map(this.#members(token, level), level);
      default:
        throw new CborProblem(`unexpected ${token.type.name}`);
    }
  }

  #next(): Token {
    if (this.#tokens.done()) throw new CborProblem('cut short');
    try {
      return this.#tokens.next();
    } catch (cause) {
      throw new CborProblem('not well formed', { cause });
    }
  }

  /** The decoder replaces what is no UTF-8; the bytes would then differ. */
  #text(value: string): string {
    const again = Buffer.from(value);
    const end = this.#tokens.pos();
    if (!again.equals(this.#bytes.subarray(end - again.length, end))) throw new CborProblem('text is not UTF-8');
    return value;
  }

  #members(token: Token, level: number): number {
    const count = token.value as number;
    if (level >= MOST_LEVELS) throw new CborProblem('nested too deep');
    if (!Number.isInteger(count) || count > MOST_MEMBERS) throw new CborProblem('too many members');
    return count;
  }

  #map(count: number, level: number): CborMap {
    const map = new Map<number | string, Cbor>();
    let before: Uint8Array | undefined;
    for (let i = 0; i < count; i++) {
      const start = this.#tokens.pos();
      const key = this.item(level + 1);
      if (typeof key !== 'number' && typeof key !== 'string') throw new CborProblem('key is neither number nor text');
      const encoded = this.#bytes.subarray(start, this.#tokens.pos());
      if (map.has(key)) throw new CborProblem('key twice');
      if (this.#order === 'canonical' && before && !comesBefore(before, encoded))
        throw new CborProblem('keys out of order');
      before = encoded;
      map.set(key, this.item(level + 1));
    }
    return map;
  }
}

/** CTAP 2.1 §6: the lower major type first, then the shorter, then the lower in bytes. */
function comesBefore(a: Uint8Array, b: Uint8Array): boolean {
  return (
    (a[0]! >> 5) - (b[0]! >> 5) < 0 || (a[0]! >> 5 === b[0]! >> 5 && (a.length - b.length || Buffer.compare(a, b)) < 0)
  );
}
