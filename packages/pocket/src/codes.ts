/** Codes for when there is no network: RFC 6238, by a key that was made with the phone and cannot be taken out of this browser. */
export interface Codes {
  readonly key: CryptoKey;
  readonly digits: number;
  readonly period: number;
}

const BASE32 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567';
const HASHES: Readonly<Partial<Record<string, string>>> = { SHA1: 'SHA-1', SHA256: 'SHA-256', SHA512: 'SHA-512' };

/** RFC 4648 §6. */
function fromBase32(text: string): Uint8Array<ArrayBuffer> {
  const bits = [...text.replace(/=+$/, '')]
    .map((letter) => BASE32.indexOf(letter).toString(2).padStart(5, '0'))
    .join('');
  return Uint8Array.from(bits.match(/.{8}/g) ?? [], (byte) => parseInt(byte, 2));
}

/** Keeps the key of `otpauth://totp/…` as one that signs, and can't be read. */
export async function keepCodes(keyUri: string): Promise<Codes> {
  const said = new URLSearchParams(keyUri.slice(keyUri.indexOf('?') + 1));
  const hash = HASHES[said.get('algorithm') ?? 'SHA1']!;
  const key = await crypto.subtle.importKey('raw', fromBase32(said.get('secret')!), { name: 'HMAC', hash }, false, [
    'sign',
  ]);
  return { key, digits: Number(said.get('digits') ?? 6), period: Number(said.get('period') ?? 30) };
}

/** The code of a moment, and for how many seconds it is good. RFC 4226 §5.3 of the counter of RFC 6238 §4.2. */
export async function codeAt({ key, digits, period }: Codes, unixMs: number): Promise<{ code: string; left: number }> {
  const seconds = Math.floor(unixMs / 1_000);
  const counter = new DataView(new ArrayBuffer(8));
  counter.setBigUint64(0, BigInt(Math.floor(seconds / period)));
  const mac = new DataView(await crypto.subtle.sign('HMAC', key, counter.buffer));
  const at = mac.getUint8(mac.byteLength - 1) & 15;
  const code = (mac.getUint32(at) & 0x7fffffff) % 10 ** digits;
  return { code: String(code).padStart(digits, '0'), left: period - (seconds % period) };
}

/** The latest codes, the one of now last: so many prove the key. */
export const latestCodes = async (codes: Codes, count: number): Promise<readonly string[]> =>
  await Promise.all(
    Array.from({ length: count }, async (_, i) => {
      const { code } = await codeAt(codes, Date.now() - (count - 1 - i) * codes.period * 1_000);
      return code;
    }),
  );
