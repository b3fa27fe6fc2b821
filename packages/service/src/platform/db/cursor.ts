import { parseId, type Id } from '@nimble-latch/core/vocabulary';
import { badField } from '../errors.js';

/** What a list may be sorted by, and what each is read as. */
interface Shapes {
  readonly string: string;
  readonly number: number;
  readonly id: Id;
  /** RFC 3339 in UTC, as {@link Date.toISOString} writes it. */
  readonly instant: string;
}

/** Reads a value of each kind as we wrote it; undefined for what we did not write. */
const READ: { readonly [K in keyof Shapes]: (value: unknown) => Shapes[K] | undefined } = {
  // Half a character (a lone surrogate) is nothing that a column could hold.
  string: (value) => (typeof value === 'string' && !/\p{Cs}/u.test(value) ? value : undefined),
  number: (value) => (typeof value === 'number' && Number.isSafeInteger(value) ? value : undefined),
  id: (value) => (typeof value === 'string' ? parseId(value) : undefined),
  instant: (value) => {
    const at = typeof value === 'string' ? new Date(value) : undefined;
    return at && !Number.isNaN(at.getTime()) && at.toISOString() === value ? value : undefined;
  },
};

/** Where a page ended: the values that the list is sorted by. Opaque to callers, checked when it comes back. */
export function encodeCursor(values: readonly (string | number)[]): string {
  return Buffer.from(JSON.stringify(values)).toString('base64url');
}

/** @param shape what each value must be; a cursor of another list, or a made-up one, is refused */
export function decodeCursor<const S extends readonly (keyof Shapes)[]>(
  cursor: string | undefined,
  shape: S,
): { [K in keyof S]: Shapes[S[K]] } | undefined {
  if (cursor === undefined) return undefined;
  let values: unknown;
  try {
    values = JSON.parse(Buffer.from(cursor, 'base64url').toString());
  } catch {
    values = undefined;
  }
  if (!Array.isArray(values) || values.length !== shape.length) throw badField('query.cursor', 'foreign-cursor');
  return shape.map((kind, i) => {
    const value = READ[kind](values[i]);
    if (value === undefined) throw badField('query.cursor', 'foreign-cursor');
    return value;
  }) as unknown as { [K in keyof S]: Shapes[S[K]] };
}

/** Cuts the row too many that was read, and makes the cursor of the next page from the last one kept. */
export function pageOf<Row>(
  rows: Row[],
  limit: number,
  cursorOf: (row: Row) => readonly (string | number)[],
): { rows: Row[]; next: string | null } {
  const kept = rows.slice(0, limit);
  const last = kept[kept.length - 1];
  return { rows: kept, next: rows.length > limit && last ? encodeCursor(cursorOf(last)) : null };
}
