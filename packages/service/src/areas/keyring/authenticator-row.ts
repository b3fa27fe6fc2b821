import type { Guard, Lane } from '@nimble-latch/core/throttle';
import type { AuthenticatorState, Method, OtpAlgorithm } from '@nimble-latch/core/vocabulary';
import type { SqlValues } from '../../platform/db/sql.js';

/** An authenticator's row. */
export interface AuthenticatorRow {
  id: Buffer;
  person_id: Buffer;
  carrier_id: Buffer | null;
  method: Method;
  state: AuthenticatorState;
  label: string;
  parameters: string;
  secret_sealed: Buffer | null;
  last_step: number | null;
  drift: number;
  last_used_at: Date | null;
  preferred: number;
  hardware: number;
  /** The hash of its PIN, sealed. */
  pin_sealed: Buffer | null;
  /** The PIN was given by somebody else, and is to be changed at its first use. */
  pin_given: number;
  /** It has verified its holder, and its key stays in it; of keys alone. */
  verified: number;
  device_bound: number;
  /** It may be used at some applications only. */
  restricted: number;
  familiar_failures: number;
  familiar_paused_until: Date | null;
  stranger_failures: number;
  stranger_paused_until: Date | null;
  /** Of a pass: its time. */
  valid_from: Date | null;
  valid_until: Date | null;
  created_at: Date;
  activated_at: Date | null;
}

/** How a TOTP authenticator computes its codes. */
export interface TotpSettings {
  readonly algorithm: OtpAlgorithm;
  readonly digits: number;
  readonly period: number;
  readonly t0?: number;
}

export function totpSettings(row: { readonly parameters: string }): TotpSettings {
  return JSON.parse(row.parameters) as TotpSettings;
}

/** How a counter-based authenticator computes its codes. */
export const hotpSettings = (row: { readonly parameters: string }): Pick<TotpSettings, 'algorithm' | 'digits'> =>
  JSON.parse(row.parameters) as TotpSettings;

/** The counter of the last code that was accepted; -1 for none. */
export const lastCounter = (row: { readonly last_step: number | null }): number =>
  row.last_step === null ? -1 : Number(row.last_step);

export type GuardColumns = Pick<
  AuthenticatorRow,
  'familiar_failures' | 'familiar_paused_until' | 'stranger_failures' | 'stranger_paused_until'
>;

/** What of an authenticator's row deciding a proof of it takes. */
export const PROVING_COLUMNS = [
  'id',
  'carrier_id',
  'method',
  'preferred',
  'hardware',
  'pin_sealed',
  'verified',
  'device_bound',
  'familiar_failures',
  'familiar_paused_until',
  'stranger_failures',
  'stranger_paused_until',
] as const satisfies (keyof AuthenticatorRow)[];
export type ProvingRow = Pick<AuthenticatorRow, (typeof PROVING_COLUMNS)[number]>;

export function guardOf(row: GuardColumns, lane: Lane): Guard {
  return { failures: row[`${lane}_failures`], pausedUntil: row[`${lane}_paused_until`]?.getTime() };
}

export function guardColumns(lane: Lane, guard: Guard): SqlValues {
  return {
    [`${lane}Failures`]: guard.failures,
    [`${lane}PausedUntil`]: guard.pausedUntil === undefined ? null : new Date(guard.pausedUntil),
  };
}
