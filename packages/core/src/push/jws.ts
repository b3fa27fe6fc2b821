import type { KeyObject } from 'node:crypto';
import { canonicalJson, isSignedBy, type Json } from '../crypto/index.js';

/** More than any message of a device needs. */
const LONGEST = 12_288;

export type JsonObject = Readonly<Record<string, Json>>;

/** A signed message before anybody believed it: JWS Compact Serialization, RFC 7515 §7.1. */
export interface CompactJws {
  readonly header: JsonObject;
  readonly payload: JsonObject;
  /** What was signed, RFC 7515 §5.1 step 5. */
  readonly input: Buffer;
  readonly signature: Buffer;
}

/**
 * Reads a compact JWS in the one spelling that there is of it: base64url without padding or stray bits, header and payload as canonical
 * JSON objects (RFC 8785), so that no member stands twice. Undefined for anything else.
 */
export function readCompact(token: string): CompactJws | undefined {
  const parts = partsOf(token);
  const [head, rest] = [parts && objectOf(parts[0]), parts && readRest(parts)];
  return head && rest && { header: head, ...rest };
}

/**
 * Reads one whose header can be this one alone: of what has one spelling nothing has to be parsed.
 *
 * @param header as it stands in the token, in base64url
 */
export function readCompactOf(header: string, token: string): Omit<CompactJws, 'header'> | undefined {
  const parts = partsOf(token);
  return parts?.[0] === header ? readRest(parts) : undefined;
}

type Parts = readonly [header: string, payload: string, signature: string];

function partsOf(token: string): Parts | undefined {
  if (token.length > LONGEST) return undefined;
  const parts = token.split('.');
  return parts.length === 3 ? (parts as unknown as Parts) : undefined;
}

function readRest([header, body, made]: Parts): Omit<CompactJws, 'header'> | undefined {
  const [payload, signature] = [objectOf(body), decoded(made)];
  if (!payload || signature?.length !== 64) return undefined;
  return { payload, input: Buffer.from(`${header}.${body}`, 'ascii'), signature };
}

const objectOf = (part: string): JsonObject | undefined => {
  const bytes = decoded(part);
  return bytes && readObject(bytes);
};

/** Whether a key made it by ECDSA over P-256 and SHA-256, RFC 7518 §3.4. */
export const isMadeBy = ({ input, signature }: Pick<CompactJws, 'input' | 'signature'>, key: KeyObject): boolean =>
  isSignedBy(key, { key: 'ec', hash: 'sha256' }, input, signature, 'ieee-p1363');

/**
 * Base64url as RFC 7515 §2 has it; undefined for any other spelling of the same bytes: padding, stray bits (RFC 4648 §3.5), other letters,
 * all of which the platform's own reader passes over.
 */
export function decoded(text: string): Buffer | undefined {
  const read = Buffer.from(text, 'base64url');
  return read.toString('base64url') === text ? read : undefined;
}

const UTF8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

function readObject(bytes: Buffer): JsonObject | undefined {
  try {
    const text = UTF8.decode(bytes);
    const value = JSON.parse(text) as Json;
    if (typeof value !== 'object' || value === null || Array.isArray(value)) return undefined;
    return isCanonical(value, text) ? (value as JsonObject) : undefined;
  } catch {
    return undefined;
  }
}

/** Canonical is what ECMAScript writes, by members in their order (RFC 8785 §3.2); what is escaped or sorts otherwise there is written anew. */
const isCanonical = (value: Json, text: string): boolean =>
  (!text.includes('\\') && isSorted(value) && JSON.stringify(value) === text) || canonicalJson(value) === text;

function isSorted(value: Json): boolean {
  if (typeof value !== 'object' || value === null) return true;
  if (Array.isArray(value)) return value.every(isSorted);
  let before = '';
  for (const [name, member] of Object.entries(value)) {
    if (name < before || !isSorted(member)) return false;
    before = name;
  }
  return true;
}
