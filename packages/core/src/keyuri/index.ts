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

/** The same as it is read, of a device with a clock or with a counter. What is undefined it does not say. */
export interface ReadKeyUri {
  readonly method: 'totp' | 'hotp';
  readonly issuer: string;
  readonly account: string;
  readonly key: Uint8Array;
  readonly algorithm: OtpAlgorithm | undefined;
  readonly digits: number | undefined;
  /** Seconds. */
  readonly period: number | undefined;
  /** The next counter. */
  readonly counter: number | undefined;
  /** The number of the device, where that is not the account. */
  readonly serial: string | undefined;
  /** Parameters that mean nothing here, by name. */
  readonly ignored: readonly string[];
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

const READ_PARAMETERS = ['secret', 'issuer', 'algorithm', 'digits', 'period', 'counter', 'serial'] as const;

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
  // Of two that differ nobody can tell which is meant.
  const twice = READ_PARAMETERS.find((name) => url.searchParams.getAll(name).length > 1);
  if (twice) return { ok: false, where: twice };
  const said = (name: (typeof READ_PARAMETERS)[number]) => url.searchParams.get(name) ?? undefined;
  const key = decodeBase32(said('secret') ?? '');
  if (!key || key.length === 0) return { ok: false, where: 'secret' };
  const hash = said('algorithm')?.toUpperCase();
  const algorithm = OTP_ALGORITHMS.find((a) => a === hash);
  if (hash !== undefined && !algorithm) return { ok: false, where: 'algorithm' };
  // No exponents, signs or fractions, which the language would read as numbers.
  const number = (name: 'digits' | 'period' | 'counter') =>
    said(name) === undefined ? undefined : /^\d{1,16}$/.test(said(name)!) ? Number(said(name)) : NaN;
  const [digits, period, counter] = [number('digits'), number('period'), number('counter')];
  if (digits !== undefined && ![6, 7, 8].includes(digits)) return { ok: false, where: 'digits' };
  if (period !== undefined && !(period >= 15 && period <= 120)) return { ok: false, where: 'period' };
  if (counter !== undefined && !Number.isSafeInteger(counter)) return { ok: false, where: 'counter' };
  const [before, ...after] = label.split(':');
  const account = (after.length > 0 ? after.join(':') : before!).trim();
  const issuer = said('issuer') ?? (after.length > 0 ? before!.trim() : '');
  const ignored = [...new Set(url.searchParams.keys())].filter((name) => !READ_PARAMETERS.some((one) => one === name));
  return {
    ok: true,
    value: { method, issuer, account, key, algorithm, digits, period, counter, serial: said('serial'), ignored },
  };
}

/** A key as text for reading aloud: base32 in groups of four. */
export function groupedKey(key: Uint8Array): string {
  return encodeBase32(key)
    .replace(/(.{4})(?=.)/g, '$1 ')
    .trim();
}
