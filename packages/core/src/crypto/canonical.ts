import canonicalize from 'canonicalize';

export type Json = null | boolean | number | string | readonly Json[] | { readonly [key: string]: Json };

/** The one byte form of a JSON value: RFC 8785 (JSON Canonicalization Scheme). */
export function canonicalJson(value: Json): string {
  // eslint-disable-next-line @typescript-eslint/no-unnecessary-type-assertion -- needed as Node resolves it, not as the bundler does
  const text = (canonicalize as unknown as (input: unknown) => string | undefined)(value);
  if (text === undefined) throw new TypeError('canonicalJson: expected a JSON value, got undefined');
  return text;
}
