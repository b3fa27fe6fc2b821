import { badField } from '../errors.js';

/** Where a page ended: the values that the list is sorted by. Opaque to callers, checked when it comes back. */
export function encodeCursor(values: readonly (string | number)[]): string {
  return Buffer.from(JSON.stringify(values)).toString('base64url');
}

/** @param shape what each value must be; a cursor of another list, or a made-up one, is refused */
export function decodeCursor<const S extends readonly ('string' | 'number' | 'id')[]>(
  cursor: string | undefined,
  shape: S,
): { [K in keyof S]: S[K] extends 'number' ? number : string } | undefined {
  if (cursor === undefined) return undefined;
  let values: unknown;
  try {
    values = JSON.parse(Buffer.from(cursor, 'base64url').toString());
  } catch {
    values = undefined;
  }
  const fits =
    Array.isArray(values) &&
    values.length === shape.length &&
    shape.every((kind, i) => {
      const value: unknown = values[i];
      return kind === 'id' ? typeof value === 'string' && /^[0-9a-f-]{36}$/.test(value) : typeof value === kind;
    });
  if (!fits) throw badField('query.cursor', 'foreign-cursor');
  return values as { [K in keyof S]: S[K] extends 'number' ? number : string };
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
