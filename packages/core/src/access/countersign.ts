import type { Id, SignatureState } from '../vocabulary.js';

/** Something that needs a second administrator's yes. */
export interface SignatureRequest {
  readonly state: SignatureState;
  readonly askedBy: Id;
  /** The person whom it is about, if any: they do not sign for themselves. */
  readonly about: Id | null;
  /** Milliseconds since 1970. */
  readonly askedAt: number;
  readonly expiresAt: number;
}

export type WhyNoSignature = 'wrong-state' | 'signature-expired' | 'not-yours-to-sign';

/** Where a request stands: one whose time is over has expired, whether or not that was written down. */
export function signatureState(request: Pick<SignatureRequest, 'state' | 'expiresAt'>, nowMs: number): SignatureState {
  const waits = request.state === 'open' || request.state === 'given';
  return waits && nowMs >= request.expiresAt ? 'expired' : request.state;
}

/**
 * Why somebody may not give or refuse a countersignature; undefined where they may.
 *
 * @param signer `may`: they could do themselves what is asked for
 */
export function whyNoSignature(
  request: SignatureRequest,
  signer: { readonly id: Id; readonly may: boolean },
  nowMs: number,
): WhyNoSignature | undefined {
  const state = signatureState(request, nowMs);
  if (state === 'expired') return 'signature-expired';
  if (state !== 'open') return 'wrong-state';
  const second = signer.id !== request.askedBy && signer.id !== request.about;
  return second && signer.may ? undefined : 'not-yours-to-sign';
}

/**
 * Whether what was asked for may be done now, by whoever asked: it was countersigned; or nobody else could do so, and the
 * waiting time has passed, long enough for the notice of it to be read.
 *
 * @param others people beside the asker and the person concerned who could sign, now
 * @param waitMs the waiting time where there are none
 */
export function mayGoOn(request: SignatureRequest, others: number, waitMs: number, nowMs: number): boolean {
  const state = signatureState(request, nowMs);
  if (state === 'given') return true;
  return state === 'open' && others === 0 && nowMs >= request.askedAt + waitMs;
}
