import { hotp, type HotpParameters } from './hotp.js';

export interface TotpParameters extends HotpParameters {
  /** Time step X in seconds, RFC 6238 §4.1. */
  readonly period: number;
  /** T0 in seconds since 1970, RFC 6238 §4.1; 0 unless said. */
  readonly t0?: number;
}

/** T = floor((now - T0) / X), RFC 6238 §4.2. */
export function totpStep(nowMs: number, { period, t0 = 0 }: Pick<TotpParameters, 'period' | 't0'>): number {
  return Math.floor((nowMs / 1000 - t0) / period);
}

/** TOTP = HOTP(K, T), RFC 6238 §4.2. */
export function totp(key: Uint8Array, nowMs: number, parameters: TotpParameters): string {
  return hotp(key, totpStep(nowMs, parameters), parameters);
}
