/**
 * One-time codes as a phone computes them, written from RFC 4226 §5.3, RFC 6238 §4 and RFC 4648 §6 alone. It shares no
 * code with the service on purpose: a mistake must not stand on both sides.
 */
import { createHmac } from 'node:crypto';

/** What a phone keeps of one scanned key. */
export interface Account {
  readonly issuer: string;
  readonly name: string;
  readonly secret: Buffer;
  readonly hash: 'sha1' | 'sha256' | 'sha512';
  readonly digits: number;
  readonly seconds: number;
}

/** The picture cannot be used; says what is wrong with it. */
export class BadPicture extends Error {}

const BASE32 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567';

function fromBase32(text: string): Buffer {
  let pool = 0;
  let bits = 0;
  const bytes: number[] = [];
  for (const letter of text.toUpperCase().replace(/[\s=-]/g, '')) {
    const value = BASE32.indexOf(letter);
    if (value < 0) throw new BadPicture('its secret is not base32');
    pool = ((pool << 5) | value) & 0xfff;
    bits += 5;
    if (bits >= 8) {
      bits -= 8;
      bytes.push((pool >> bits) & 0xff);
    }
  }
  if (bytes.length === 0) throw new BadPicture('it has no secret');
  return Buffer.from(bytes);
}

/** Reads the text of a QR picture: `otpauth://totp/…`; or a key as it is typed, which has the settings that apps assume. */
export function readPicture(text: string): Account {
  if (/^[A-Za-z2-7][A-Za-z2-7\s=-]{14,}$/.test(text.trim()))
    return { issuer: '', name: 'typed by hand', secret: fromBase32(text), hash: 'sha1', digits: 6, seconds: 30 };
  const match = /^otpauth:\/\/totp\/([^?]*)\?(.*)$/.exec(text.trim());
  if (!match)
    throw new BadPicture('it is neither a key nor the text of a picture for time-based codes (otpauth://totp/…)');
  const label = decodeURIComponent(match[1]!);
  const settings = new URLSearchParams(match[2]);
  const hash = (settings.get('algorithm') ?? 'SHA1').toLowerCase();
  if (hash !== 'sha1' && hash !== 'sha256' && hash !== 'sha512') throw new BadPicture('its algorithm is unknown');
  const colon = label.indexOf(':');
  return {
    issuer: settings.get('issuer') ?? (colon > 0 ? label.slice(0, colon) : ''),
    name: (colon > 0 ? label.slice(colon + 1) : label).trim(),
    secret: fromBase32(settings.get('secret') ?? ''),
    hash,
    digits: Number(settings.get('digits') ?? '6'),
    seconds: Number(settings.get('period') ?? '30'),
  };
}

/** The code that the phone shows at a moment, and for how many more seconds. */
export function codeAt(account: Account, unixMs: number): { code: string; secondsLeft: number } {
  const unix = Math.floor(unixMs / 1000);
  const step = Math.floor(unix / account.seconds);
  const counter = Buffer.alloc(8);
  counter.writeUInt32BE(Math.floor(step / 2 ** 32), 0);
  counter.writeUInt32BE(step >>> 0, 4);
  const mac = createHmac(account.hash, account.secret).update(counter).digest();
  const start = mac[mac.length - 1]! % 16;
  const four = (mac[start]! % 128) * 2 ** 24 + mac[start + 1]! * 2 ** 16 + mac[start + 2]! * 2 ** 8 + mac[start + 3]!;
  return {
    code: String(four % 10 ** account.digits).padStart(account.digits, '0'),
    secondsLeft: account.seconds - (unix % account.seconds),
  };
}
