import { uuidBytes, uuidText, uuidV7 } from '@nimble-latch/core/crypto';
import { parseId, type Id } from '@nimble-latch/core/vocabulary';

import type { Deps } from './deps.js';

/** The last id of this process: ids made within one millisecond still sort in the order they were made. */
export interface IdSequence {
  atMs: number;
  count: number;
}

/** A new id as text; `idBytes(id)` is its form in the database. Within a millisecond it counts up (RFC 9562 §6.2, method 1). */
export function newId({ now, random, sequence }: Pick<Deps, 'now' | 'random' | 'sequence'>): Id {
  const atMs = now().getTime();
  sequence.count = atMs === sequence.atMs ? sequence.count + 1 : 0;
  sequence.atMs = atMs;
  const id = uuidV7(atMs, random(10));
  // The 12 bits after the version; more ids than that in one millisecond only lose their order.
  id[6] = 0x70 | ((sequence.count >> 8) & 0x0f);
  id[7] = sequence.count & 0xff;
  return uuidText(id);
}

/** 16 bytes for a column. */
export const idBytes = uuidBytes;
/** Text of a column's 16 bytes. */
export const idText = uuidText;
/** The same for columns that may be empty. */
export const idBytesOrNull = (id: Id | null | undefined): Buffer | null => (id == null ? null : uuidBytes(id));
export const idTextOrNull = (id: Uint8Array | null): Id | null => (id === null ? null : uuidText(id));

/**
 * An id that we wrote ourselves as text, into JSON that was sealed or stored.
 *
 * @throws RangeError for anything else
 */
export function storedId(written: string): Id {
  const id = parseId(written);
  if (id !== written) throw new RangeError('stored id: expected one as we write it');
  return id;
}

/** The application that stands for the console and the command-line client; made by the first migration. */
export const CONSOLE_APPLICATION = storedId('00000000-0000-7000-8000-000000000001');
/** The one that stands for enrolling something oneself; rules say who may, from where, by what. */
export const ENROLMENT_APPLICATION = storedId('00000000-0000-7000-8000-000000000002');
/** The one that stands for setting a new password in place of one that was forgotten. */
export const RESET_APPLICATION = storedId('00000000-0000-7000-8000-000000000003');

/** A 16-byte id as the database writes it in hexadecimal. */
export const idTextOfHex = (hex: string): Id => idText(Buffer.from(hex, 'hex'));
