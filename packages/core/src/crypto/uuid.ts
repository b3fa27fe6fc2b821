import type { Id } from '../vocabulary.js';

/**
 * UUID version 7, RFC 9562 §5.7: 48 bits of milliseconds, then random. Stored in 16 bytes, so that
 * primary keys grow with time and a row's month can be read off its id.
 */

/**
 * @param atMs milliseconds since 1970, up to 2^48
 * @param random at least 10 bytes
 */
export function uuidV7(atMs: number, random: Uint8Array): Buffer {
  if (random.length < 10) throw new RangeError(`random: expected at least 10 bytes, got ${random.length}`);
  const id = Buffer.alloc(16);
  id.writeUIntBE(atMs, 0, 6);
  id.set(random.subarray(0, 10), 6);
  id[6] = 0x70 | (id[6]! & 0x0f);
  id[8] = 0x80 | (id[8]! & 0x3f);
  return id;
}

/** The least id that any row of this millisecond can have: a bound for ranges over time. */
export function uuidV7Floor(atMs: number): Buffer {
  const id = Buffer.alloc(16);
  // Before the first and after the last moment that an id can have, it is that one.
  id.writeUIntBE(Math.max(0, Math.min(2 ** 48 - 1, Math.trunc(atMs))), 0, 6);
  return id;
}

/** `xxxxxxxx-xxxx-xxxx-xxxx-xxxxxxxxxxxx`, lower case. */
export function uuidText(id: Uint8Array): Id {
  if (id.length !== 16) throw new RangeError(`id: expected 16 bytes, got ${id.length}`);
  const hex = Buffer.from(id.buffer, id.byteOffset, 16).toString('hex');
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}` as Id;
}

/**
 * Reverses {@link uuidText}.
 *
 * @throws RangeError for what is no id at all: a caller that got round the type must not find another row by it
 */
export function uuidBytes(text: Id): Buffer {
  const id = Buffer.from(
    text.slice(0, 8) + text.slice(9, 13) + text.slice(14, 18) + text.slice(19, 23) + text.slice(24),
    'hex',
  );
  if (id.length !== 16 || text.length !== 36) throw new RangeError(`id: expected 36 characters, got ${text.length}`);
  return id;
}
