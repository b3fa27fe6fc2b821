import { specOf } from '../methods/kinds/index.js';
import { COVERAGES, type Coverage, type Method, type Seen } from '../vocabulary.js';

/** Longest key of a name, in characters; what is longer is cut, and ties are broken by the person's id. */
export const NAME_KEY_MAX = 60;
/** Words of a name that it can be found by; more than this are found through the words before them. */
const MOST_TERMS = 6;

/**
 * A display name as it is sorted and searched: Unicode NFKD without its marks, lower case, every run of anything but
 * letters, digits and apostrophes one space. So `Åsne  O’Hara-Vik` is found by `asne`, `o'hara` and `vik`.
 */
export function nameKey(displayName: string): string {
  const folded = displayName
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[’ʼ]/g, "'")
    .replace(/[^\p{L}\p{N}']+/gu, ' ')
    .trim();
  return [...folded].slice(0, NAME_KEY_MAX).join('').trimEnd();
}

/**
 * The texts whose beginnings find a name: the name from each of its words on, then the words before it. `ines marlow`
 * gives itself and `marlow ines`, so that `ines`, `marl` and `marlow i` all find her.
 *
 * @param key the name's {@link nameKey}
 */
export function nameTerms(key: string): string[] {
  const words = key.split(' ').filter(Boolean);
  const turns = words.slice(0, MOST_TERMS).map((_, i) => [...words.slice(i), ...words.slice(0, i)].join(' '));
  return [...new Set(turns)];
}

/**
 * A serial number as it is found and told apart: letters and digits alone, in capitals, so that `wx-0042 1` and
 * `WX00421` are one.
 */
export const serialKey = (serial: string): string =>
  (/^[ -~]*$/.test(serial) ? serial : serial.normalize('NFKC')).toUpperCase().replace(/[^A-Z0-9]/g, '');

/** How well somebody is covered by the active authenticators on their keyring; the best of them counts. */
export function coverageOf(methods: Iterable<Method>): Coverage {
  let best: Coverage = 'nothing';
  for (const method of methods) {
    const { coverage } = specOf(method);
    if (COVERAGES.indexOf(coverage) > COVERAGES.indexOf(best)) best = coverage;
  }
  return best;
}

/** Days since the last sign-in, from which on somebody counts as seen longer ago. */
export const SEEN_DAYS = { 'this-week': 7, 'this-month': 30, 'this-quarter': 90 } as const;

/** How long ago somebody last signed in, in the steps that lists are filtered by. */
export function seenOf(lastSeen: Date | undefined, now: Date): Seen {
  if (!lastSeen) return 'never';
  const days = (now.getTime() - lastSeen.getTime()) / 86_400_000;
  for (const [seen, most] of Object.entries(SEEN_DAYS)) if (days < most) return seen as Seen;
  return 'longer-ago';
}
