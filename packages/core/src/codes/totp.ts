import { hotp, type HotpParameters } from './hotp.js';

export interface TotpParameters extends HotpParameters {
  /** Time step X in seconds, RFC 6238 §4.1. */
  readonly period: number;
}

/** T = floor((now - T0) / X) with T0 = 0, RFC 6238 §4.2. */
export function totpStep(nowMs: number, period: number): number {
  return Math.floor(nowMs / 1000 / period);
}

/** TOTP = HOTP(K, T), RFC 6238 §4.2. */
export function totp(key: Uint8Array, nowMs: number, parameters: TotpParameters): string {
  return hotp(key, totpStep(nowMs, parameters.period), parameters);
}
