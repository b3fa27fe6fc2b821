import { LINE_PATTERN, withoutUnseen } from '@nimble-latch/core/fields';
import type { Id } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { LIMITS } from './limits.js';
import { hint } from './messages/index.js';

/** Building blocks of the contract. Every object is strict: an unknown field is a mistake that somebody should hear of. */

/**
 * An id, in any spelling that RFC 9562 has readers take, parsed to its one spelling. The type is narrower than Zod's own, so
 * that handlers get ids and nothing that only looks like one.
 */
export const id = z
  .uuid({ error: hint('id') })
  .toLowerCase()
  .describe('An id: UUID version 7; written in lower case, read in either') as unknown as z.ZodType<Id, string>;

/** Sixteen bytes that somebody else chose, written as UUIDs are; their version bits may say anything (AAGUID, W3C WebAuthn §6.5.1). */
export const sixteenBytes = z.guid({ error: hint('id') }).toLowerCase();
/** A model of keys: its AAGUID, or what follows from the keys of its certificates. */
export const modelId = sixteenBytes as unknown as z.ZodType<Id, string>;

/** RFC 3339 in UTC with milliseconds. */
export const instant = z.iso.datetime({ error: hint('instant') }).describe('RFC 3339, UTC');

/**
 * One line of text: trimmed, composed (NFC), freed of what nobody sees, without control characters and without those that reverse the
 * writing direction of what follows them (they can make one name look like another).
 */
export function line(max: number) {
  return z
    .string()
    .overwrite(withoutUnseen)
    .trim()
    .normalize('NFC')
    .min(1, { error: hint('empty') })
    .max(max, { error: hint('too-long', { most: max }) })
    .regex(LINE_PATTERN, {
      error: hint('control-characters'),
    });
}

/** A secret as typed: bounded, never trimmed. */
export const secretText = (max: number) =>
  z
    .string()
    .min(1, { error: hint('empty') })
    .max(max, { error: hint('too-long', { most: max }) });

export const pageQuery = {
  limit: z.coerce.number().int().min(1).max(LIMITS.pageRowsMost).default(LIMITS.pageRows).describe('Rows of the page'),
  cursor: z
    .string()
    .max(LIMITS.cursorChars)
    .regex(/^[\w-]+$/, { error: hint('cursor') })
    .optional()
    .describe('`next` of the page before'),
};

export function page<T extends z.ZodType>(row: T) {
  return z.strictObject({
    rows: z.array(row),
    next: z.string().nullable().describe('Cursor of the next page; null at the end'),
  });
}

/** The answer of calls that have nothing to tell. */
export const nothing = z.null();

/** Rises with each edit; the number inside the ETag. */
export const version = z.number().int().min(1);

/** Changed lines of a text with those around them. */
export const difference = z
  .array(z.strictObject({ line: z.string(), change: z.enum(['same', 'added', 'taken']) }))
  .describe('Changed lines with those around them');

/** What of somebody's access ended with a change of their rights or secrets. */
export const endedAccess = z
  .strictObject({ sessions: z.number().int(), accessTokens: z.number().int() })
  .describe('Console sessions and access tokens of theirs that ended with it');
