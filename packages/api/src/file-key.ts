/** What opens a key container, as it travels with the file (see `imports.receive`). */

const toBase64url = (bytes: Uint8Array): string =>
  btoa(String.fromCharCode(...bytes))
    .replaceAll('+', '-')
    .replaceAll('/', '_')
    .replace(/=+$/, '');

export const passphraseHeader = (typed: string): string => `passphrase ${toBase64url(new TextEncoder().encode(typed))}`;

/**
 * A key as its sender wrote it: hexadecimal, perhaps in pairs with colons, or base64. What is both is hexadecimal.
 *
 * @returns undefined for what is no key of 16 to 64 bytes
 */
export function keyHeader(typed: string): string | undefined {
  const hex = typed.replace(/[\s:-]+/g, '').replace(/^0x/i, '');
  if (/^(?:[0-9a-f]{2}){16,64}$/i.test(hex)) return `key ${hex.toLowerCase()}`;
  const base64 = typed.replace(/\s+/g, '').replaceAll('-', '+').replaceAll('_', '/');
  if (!/^[A-Za-z0-9+/]+={0,2}$/.test(base64)) return undefined;
  try {
    const bytes = Array.from(atob(base64), (character) => character.charCodeAt(0));
    if (bytes.length < 16 || bytes.length > 64) return undefined;
    return `key ${bytes.map((byte) => byte.toString(16).padStart(2, '0')).join('')}`;
  } catch {
    return undefined;
  }
}

/** The certificate of whoever signed a file. */
export const signerHeader = (certificate: string): string => toBase64url(new TextEncoder().encode(certificate));
