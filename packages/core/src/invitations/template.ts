import { INVITATION_FIELDS, type InvitationField } from '../vocabulary.js';

/**
 * Texts with named fields in braces. Plain text in, plain text out: nothing in a field is looked at again, so that somebody's name
 * cannot bring in another field, and nothing is ever markup.
 */
export interface InvitationText {
  readonly subject: string;
  readonly body: string;
}

const FIELD = /\{([^{}]*)\}/g;
const isField = (name: string): name is InvitationField => INVITATION_FIELDS.some((one) => one === name);

/** What stands in braces and is no field: it would go out as it is. A brace that is alone counts as well. */
export function unknownFields(text: string): readonly string[] {
  const unknown = [...text.matchAll(FIELD)].flatMap(([all, name = '']) => (isField(name) ? [] : [all]));
  const alone = /[{}]/.exec(text.replace(FIELD, ''));
  return [...new Set([...unknown, ...(alone ? [alone[0]] : [])])];
}

/** Whether a text brings its reader to where they enrol: by the link, or by the page and the code. */
export function leadsThere(text: string): boolean {
  const named = new Set([...text.matchAll(FIELD)].map(([, name]) => name));
  return named.has('link') || (named.has('page') && named.has('code'));
}

/** Fills in the fields, each once; line breaks and other control characters in them become spaces. */
export function fillText(text: string, fields: Readonly<Record<InvitationField, string>>): string {
  return text.replace(FIELD, (all, name: string) => (isField(name) ? inOneLine(fields[name]) : all));
}

// Whatever a name has in it, it adds neither a line to a text nor a header to a mail (RFC 5322 §2.2).
const inOneLine = (value: string): string => value.replace(/[\p{Cc}\p{Zl}\p{Zp}]+/gu, ' ');
