/**
 * Why a ceremony was refused, for operators; outsiders are told only that it did not work. Each stands for one step of the
 * specification, which is named beside it.
 */
export const REFUSALS = [
  'malformed',
  'type',
  'challenge',
  'origin',
  'cross-origin',
  'top-origin',
  'rp-id',
  'not-present',
  'not-verified',
  'backup-flags',
  'backup-eligibility-changed',
  'algorithm',
  'key',
  'credential-id',
  'not-asked-for',
  'user-handle',
  'signature',
  'counter',
  'extension',
  'attestation-format',
  'attestation-withdrawn',
  'attestation-malformed',
  'attestation-signature',
  'attestation-certificate',
  'attestation-mismatch',
] as const;
export type RefusalReason = (typeof REFUSALS)[number];

/** A ceremony that was refused. */
export interface Refusal {
  readonly ok: false;
  /** Where in WebAuthn Level 3, such as `7.2.11` or `8.2`. */
  readonly step: string;
  readonly reason: RefusalReason;
}

/** Thrown inside this folder where a step does not hold, and caught at its doors: hostile input is refused, never thrown. */
export class StepRefused extends Error {
  readonly step: string;
  readonly reason: RefusalReason;

  constructor(step: string, reason: RefusalReason) {
    super(`${step}: ${reason}`);
    this.step = step;
    this.reason = reason;
  }
}

/** Asserts one step. @throws StepRefused */
export function must(holds: boolean, step: string, reason: RefusalReason): asserts holds {
  if (!holds) throw new StepRefused(step, reason);
}

/** Runs the steps of a ceremony. Anything but a refused step is a mistake of ours and goes on as such. */
export function refusing<T extends { readonly ok: true }>(ceremony: () => T): T | Refusal {
  try {
    return ceremony();
  } catch (error) {
    if (error instanceof StepRefused) return { ok: false, step: error.step, reason: error.reason };
    throw error;
  }
}
