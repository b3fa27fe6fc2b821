import canonicalize from 'canonicalize';

export type Json = null | boolean | number | string | readonly Json[] | { readonly [key: string]: Json };

/** The one byte form of a JSON value: RFC 8785 (JSON Canonicalization Scheme). */
export function canonicalJson(value: Json): string {
  const text = (canonicalize as unknown as (input: unknown) => string | undefined)(value);
  if (text === undefined) throw new TypeError('canonicalJson: expected a JSON value, got undefined');
  return text;
}
