import { decodeBase32, encodeBase32 } from '../crypto/index.js';
import { OTP_ALGORITHMS, type OtpAlgorithm } from '../vocabulary.js';

/** What a key URI says: everything an app needs to show codes. */
export interface KeyUri {
  readonly issuer: string;
  readonly account: string;
  readonly key: Uint8Array;
  readonly algorithm: OtpAlgorithm;
  readonly digits: number;
  readonly period: number;
}

/** The same as it is read, of a device with a clock or with a counter. */
export interface ReadKeyUri extends KeyUri {
  readonly method: 'totp' | 'hotp';
  /** The next counter; 0 for clocks. */
  readonly counter: number;
}

/**
 * The `otpauth://totp/` URI that authenticator apps read from a QR picture. A colon would end the issuer in the
 * label, so it is replaced there; all parameters are written out, since apps differ in what they assume.
 */
export function buildKeyUri({ issuer, account, key, algorithm, digits, period }: KeyUri): string {
  const label = `${encodeURIComponent(issuer.replaceAll(':', ' '))}:${encodeURIComponent(account.replaceAll(':', ' '))}`;
  const parameters = [
    `secret=${encodeBase32(key)}`,
    `issuer=${encodeURIComponent(issuer)}`,
    `algorithm=${algorithm}`,
    `digits=${digits}`,
    `period=${period}`,
  ];
  return `otpauth://totp/${label}?${parameters.join('&')}`;
}

/** Reads a key URI; says which part is wrong, never what stood in it (it may be the secret). */
export function parseKeyUri(text: string): { ok: true; value: ReadKeyUri } | { ok: false; where: string } {
  let url: URL;
  let label: string;
  try {
    url = new URL(text);
    label = decodeURIComponent(url.pathname.replace(/^\/+/, '').replace(/^[th]otp\//, ''));
  } catch {
    return { ok: false, where: 'the address' };
  }
  if (url.protocol !== 'otpauth:') return { ok: false, where: 'the scheme' };
  const method = (['totp', 'hotp'] as const).find((type) => url.host === type || url.pathname.startsWith(`//${type}/`));
  if (!method) return { ok: false, where: 'the type' };
  const key = decodeBase32(url.searchParams.get('secret') ?? '');
  if (!key || key.length === 0) return { ok: false, where: 'secret' };
  const algorithm = OTP_ALGORITHMS.find((a) => a === (url.searchParams.get('algorithm') ?? 'SHA1').toUpperCase());
  if (!algorithm) return { ok: false, where: 'algorithm' };
  const digits = Number(url.searchParams.get('digits') ?? 6);
  if (![6, 7, 8].includes(digits)) return { ok: false, where: 'digits' };
  const period = Number(url.searchParams.get('period') ?? 30);
  if (!Number.isInteger(period) || period < 15 || period > 120) return { ok: false, where: 'period' };
  const counter = method === 'hotp' ? Number(url.searchParams.get('counter') ?? 0) : 0;
  if (!Number.isSafeInteger(counter) || counter < 0) return { ok: false, where: 'counter' };
  const [before, ...after] = label.split(':');
  const account = (after.length > 0 ? after.join(':') : before!).trim();
  const issuer = url.searchParams.get('issuer') ?? (after.length > 0 ? before!.trim() : '');
  return { ok: true, value: { issuer, account, key, algorithm, digits, period, method, counter } };
}

/** A key as text for reading aloud: base32 in groups of four. */
export function groupedKey(key: Uint8Array): string {
  return encodeBase32(key)
    .replace(/(.{4})(?=.)/g, '$1 ')
    .trim();
}
