/**
 * Ids of records: UUIDs (RFC 9562), in the one spelling that the service uses, lower case with hyphens. Whatever is compared,
 * sealed, bound or written to the trail is of this type, so that a text somebody typed can't be passed for it: two spellings
 * of one id would be two names of one thing.
 */
declare const oneSpelling: unique symbol;
export type Id = string & { readonly [oneSpelling]: true };

/** Every spelling that RFC 9562 §4 has readers take: digits of either case. */
const ANY_CASE = /^[\da-f]{8}(?:-[\da-f]{4}){3}-[\da-f]{12}$/i;

/** The id that a text spells, in its one spelling; undefined for what spells none. */
export function parseId(text: string): Id | undefined {
  return ANY_CASE.test(text) ? (text.toLowerCase() as Id) : undefined;
}

/** Kinds of records that are somebody's, and found by the beginning of their id. */
export const FOUND_BY_BEGINNING = ['authenticator', 'carrier', 'invitation', 'dispute', 'sign-in'] as const;
export type FoundByBeginning = (typeof FOUND_BY_BEGINNING)[number];

/**
 * The first and the last id that a beginning can stand for, spelt as ids are; undefined for what is no beginning: at least eight
 * hexadecimal digits, hyphens where an id has them or nowhere.
 */
export function idRange(beginning: string): { readonly from: string; readonly to: string } | undefined {
  const digits = beginning.replaceAll('-', '').toLowerCase();
  if (!/^[\da-f]{8,32}$/.test(digits)) return undefined;
  if (beginning.includes('-') && !hyphenated(digits).startsWith(beginning.toLowerCase().replace(/-$/, '')))
    return undefined;
  return { from: hyphenated(digits.padEnd(32, '0')), to: hyphenated(digits.padEnd(32, 'f')) };
}

const hyphenated = (digits: string): string =>
  [digits.slice(0, 8), digits.slice(8, 12), digits.slice(12, 16), digits.slice(16, 20), digits.slice(20)]
    .filter(Boolean)
    .join('-');
