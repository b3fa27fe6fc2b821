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
  if (token.length > LONGEST) return undefined;
  const parts = token.split('.');
  if (parts.length !== 3) return undefined;
  const [header, payload, signature] = parts.map(decoded);
  if (!header || !payload || signature?.length !== 64) return undefined;
  const [head, body] = [readObject(header), readObject(payload)];
  if (!head || !body) return undefined;
  return { header: head, payload: body, input: Buffer.from(`${parts[0]}.${parts[1]}`, 'ascii'), signature };
}

/** Whether a key made it by ECDSA over P-256 and SHA-256, RFC 7518 §3.4. */
export const isMadeBy = ({ input, signature }: CompactJws, key: KeyObject): boolean =>
  isSignedBy(key, { key: 'ec', hash: 'sha256' }, input, signature, 'ieee-p1363');

/** Whole groups of four letters, then none, two or three of which the last one has no stray bits (RFC 4648 §3.5). */
const BASE64URL = /^(?:[\w-]{4})*(?:[\w-][AQgw]|[\w-]{2}[AEIMQUYcgkosw048])?$/;

/** Base64url as RFC 7515 §2 has it; undefined for any other spelling of the same bytes. */
export const decoded = (text: string): Buffer | undefined =>
  BASE64URL.test(text) ? Buffer.from(text, 'base64url') : undefined;

const UTF8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

function readObject(bytes: Buffer): JsonObject | undefined {
  try {
    const text = UTF8.decode(bytes);
    const value = JSON.parse(text) as Json;
    if (typeof value !== 'object' || value === null || Array.isArray(value)) return undefined;
    return canonicalJson(value) === text ? (value as JsonObject) : undefined;
  } catch {
    return undefined;
  }
}
