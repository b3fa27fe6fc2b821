import { readCredentialKey, type CoseKey } from '@nimble-latch/core/webauthn';
import type { Deps } from '../deps.js';

/** Keys kept ready; those that were used longest ago go first. */
const MOST = 2_000;

interface Ready {
  readonly bytes: Buffer;
  readonly key: CoseKey;
}
const ready = new WeakMap<Deps, Map<string, Ready>>();

/**
 * The public key of a stored credential, ready to verify with: to read one costs more than the signature that it is read for. What is
 * kept goes by the bytes that are stored, so a key that was replaced is never used. It was read when it was enrolled, so it can be.
 */
export function readyKey(deps: Deps, credentialId: Buffer, bytes: Buffer): CoseKey {
  let kept = ready.get(deps);
  if (!kept) ready.set(deps, (kept = new Map()));
  const name = credentialId.toString('latin1');
  const known = kept.get(name);
  const now = known?.bytes.equals(bytes) ? known : { bytes: Buffer.from(bytes), key: readCredentialKey(bytes)! };
  // The order of a map is that of its insertions.
  kept.delete(name);
  kept.set(name, now);
  if (kept.size > MOST) kept.delete(kept.keys().next().value!);
  return now.key;
}
