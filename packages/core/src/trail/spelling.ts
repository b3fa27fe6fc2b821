import { parseId, type Id } from '../vocabulary.js';
import { entryDigest, type TrailEntry } from './entry.js';
import { entriesDigest, type SealedEntry } from './seal.js';

/** By which spelling of its ids an entry was sealed, where that is not the one in which ids are read back. */
export interface Spelled {
  readonly target?: string;
  readonly person?: string;
}

/** Other spellings of an id that are tried: all of them, where they are not more than this. */
const MOST_SPELLINGS = 65_536;
/** Digests of a whole batch that are computed before it is given up. */
const MOST_TRIES = 200_000;

/**
 * The other spellings of an id (RFC 9562 §4: digits of either case), all in upper case first.
 *
 * @param most how many at most
 */
export function* otherSpellings(id: Id, most = MOST_SPELLINGS): Generator<string> {
  const letters = [...id].flatMap((digit, i) => (/[a-f]/.test(digit) ? [i] : []));
  const all = 2 ** letters.length;
  for (let count = all - 1; count > 0 && all - count <= most; count--) {
    const digits = [...id];
    for (const [bit, at] of letters.entries())
      if (Math.floor(count / 2 ** bit) % 2 === 1) digits[at] = digits[at]!.toUpperCase();
    yield digits.join('');
  }
}

/** The entry as it was sealed. A spelling of another id is no spelling of this one, and is passed over. */
export function asSealed(entry: TrailEntry, { target, person }: Spelled): TrailEntry {
  const same = (spelled: string | undefined, id: Id | null) =>
    spelled !== undefined && parseId(spelled) === id ? (spelled as Id) : id;
  return {
    ...entry,
    target: { ...entry.target, id: same(target, entry.target.id) },
    person: same(person, entry.person),
  };
}

/**
 * Finds out whether entries differ from their seal by nothing but the spelling of ids: which of them, and how they were spelled.
 * Upper case is tried for up to three entries, every spelling for one.
 *
 * @param sealed the digest over all entries, as the seal has it
 * @returns what was found, by number; undefined where the entries differ by something else, or by too much to be tried
 */
export function spellingsOf(entries: readonly TrailEntry[], sealed: string): Map<number, Spelled> | undefined {
  const digests: SealedEntry[] = entries.map((entry) => ({ number: entry.number, digest: entryDigest(entry) }));
  let tries = 0;
  const fits = (others: readonly (readonly [number, Spelled])[]): boolean => {
    tries += 1;
    const changed = digests.slice();
    for (const [at, spelled] of others)
      changed[at] = { number: entries[at]!.number, digest: entryDigest(asSealed(entries[at]!, spelled)) };
    return entriesDigest(changed).digest === sealed;
  };
  const inUpperCase = entries.map((entry) => [...upperCases(entry)]);
  const search = (
    from: number,
    left: number,
    chosen: readonly (readonly [number, Spelled])[],
  ): typeof chosen | undefined => {
    if (left === 0) return fits(chosen) ? chosen : undefined;
    for (let at = from; at < entries.length && tries < MOST_TRIES; at++)
      for (const spelled of inUpperCase[at]!) {
        const found = search(at + 1, left - 1, [...chosen, [at, spelled]]);
        if (found) return found;
      }
    return undefined;
  };
  const numbered = (found: readonly (readonly [number, Spelled])[]) =>
    new Map(found.map(([at, spelled]) => [entries[at]!.number, spelled]));
  for (let changes = 1; changes <= Math.min(3, entries.length); changes++) {
    const found = search(0, changes, []);
    if (found) return numbered(found);
  }
  for (const [at, { target, person }] of entries.entries())
    for (const id of new Set([target.id, person]))
      for (const spelling of id === null ? [] : otherSpellings(id)) {
        if (tries >= MOST_TRIES) return undefined;
        const spelled: Spelled = {
          ...(target.id === id ? { target: spelling } : {}),
          ...(person === id ? { person: spelling } : {}),
        };
        if (fits([[at, spelled]])) return numbered([[at, spelled]]);
      }
  return undefined;
}

/** The ways in which an entry's ids may have stood in upper case: both, or one of them. */
function* upperCases({ target, person }: TrailEntry): Generator<Spelled> {
  const [of, about] = [target.id?.toUpperCase(), person?.toUpperCase()];
  if (of !== undefined && about !== undefined) yield { target: of, person: about };
  if (of !== undefined) yield { target: of };
  if (about !== undefined) yield { person: about };
}
