import type { Place } from './place.js';

/** A JSON Schema (2020-12), or a part of one. */
export type Schema = Readonly<Record<string, unknown>>;

/** What somebody could type. */
export interface Offer {
  readonly text: string;
  /** What stands in the text where it is taken. */
  readonly apply: string;
  readonly kind: 'key' | 'word' | 'name';
  readonly says?: string;
}

const isSchema = (value: unknown): value is Schema => typeof value === 'object' && value !== null;
const schemasIn = (value: unknown): Schema[] => (Array.isArray(value) ? value.filter(isSchema) : []);

/** All that a part may be: what it refers to, and each of what it may be one of. */
function alternatives(whole: Schema, part: Schema): Schema[] {
  const ref = part['$ref'];
  if (typeof ref === 'string') {
    const named = ref
      .replace(/^#\//, '')
      .split('/')
      .reduce<unknown>((at, step) => (isSchema(at) ? at[step] : undefined), whole);
    // What is said beside a reference (its description) holds for what it refers to.
    return isSchema(named) ? alternatives(whole, named) : [];
  }
  const some = [...schemasIn(part['oneOf']), ...schemasIn(part['anyOf'])];
  // A part may say something of its own beside what it is one of.
  return [part, ...some.flatMap((one) => alternatives(whole, one))];
}

function step(whole: Schema, parts: readonly Schema[], key: string): Schema[] {
  return parts.flatMap((part) => {
    const properties = part['properties'];
    const next = key === '[]' ? part['items'] : isSchema(properties) ? properties[key] : undefined;
    return isSchema(next) ? alternatives(whole, next) : [];
  });
}

/** A word as it stands in YAML: in quotes where it would be read as something else. */
export const written = (word: string): string =>
  /^[\p{L}\p{N}_/.][\p{L}\p{N} _/.@+()-]*$/u.test(word) &&
  !/^(true|false|null|yes|no|on|off|~|[\d.+-]+(e\d+)?)$/i.test(word) &&
  word === word.trim()
    ? word
    : JSON.stringify(word);

const unique = (offers: readonly Offer[]): Offer[] => [...new Map(offers.map((one) => [one.text, one])).values()];

/** Keys that a map may have. */
const keysOf = (parts: readonly Schema[]): Offer[] =>
  parts.flatMap((part) =>
    Object.entries(isSchema(part['properties']) ? part['properties'] : {}).map(([text, said]): Offer => {
      const says = isSchema(said) ? said['description'] : undefined;
      return { text, apply: `${text}: `, kind: 'key', ...(typeof says === 'string' ? { says } : {}) };
    }),
  );

/** Words that a value may be, as the schema knows them. */
const wordsOf = (parts: readonly Schema[]): Offer[] =>
  parts.flatMap((part) => {
    const listed = [part['const'], part['enum'], part['examples']].flat().filter((one) => one !== undefined);
    const words = [...listed, ...(part['type'] === 'boolean' ? [true, false] : [])];
    // A number is written as one; of a word it matters how it would be read.
    return words.map((word): Offer => {
      const text = String(word);
      return { text, apply: typeof word === 'string' ? written(text) : text, kind: 'word' };
    });
  });

/** Names that a value may be. */
async function namesOf(parts: readonly Schema[], typed: string, find: Finder): Promise<Offer[]> {
  const kinds = parts.flatMap((part) => (typeof part['x-names'] === 'string' ? [part['x-names']] : []));
  const found = await Promise.all(kinds.map(async (kind) => await find(kind, typed)));
  return found.flat().map((name): Offer => ({ text: name, apply: written(name), kind: 'name' }));
}

/** Names of a kind (`group`, `person`, `application`, `network`) that fit what is typed. */
export type Finder = (kind: string, typed: string) => Promise<readonly string[]>;

/** What fits at a place of the text, by the schema of the whole. */
export async function offersAt(schema: Schema, { path, at, typed }: Place, find: Finder): Promise<Offer[]> {
  const parts = path.reduce((standing, key) => step(schema, standing, key), alternatives(schema, schema));
  const keys = at === 'value' ? [] : keysOf(parts);
  if (at === 'key') return unique(keys);
  const own = [...wordsOf(parts), ...(await namesOf(parts, typed, find))];
  // Where a list is wanted and none is begun, what is chosen begins it.
  const items = step(schema, parts, '[]');
  const inList = [...wordsOf(items), ...(await namesOf(items, typed, find))];
  return unique([...keys, ...own, ...inList.map((one) => ({ ...one, apply: `[${one.apply}]` }))]);
}
