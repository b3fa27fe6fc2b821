import { base32nopad } from '@scure/base';

/** RFC 4648 §6 without padding, upper case. */
export function encodeBase32(bytes: Uint8Array): string {
  return base32nopad.encode(bytes);
}

/**
 * Reads base32 as people write it: any case, with spaces or hyphens between groups, padding allowed at the end.
 * Undefined when anything else is in it.
 */
export function decodeBase32(text: string): Uint8Array | undefined {
  const bare = text
    .replace(/[\s-]+/g, '')
    .replace(/=+$/, '')
    .toUpperCase();
  try {
    return base32nopad.decode(bare);
  } catch {
    return undefined;
  }
}
