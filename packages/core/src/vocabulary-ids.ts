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
