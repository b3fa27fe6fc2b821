import { readCredentialKey, type CoseKey } from '@nimble-latch/core/webauthn';
import { LRUCache } from 'lru-cache';
import type { Deps } from '../deps.js';

/** Keys kept ready; those that were used longest ago go first. */
const MOST = 2_000;

interface Ready {
  readonly bytes: Buffer;
  readonly key: CoseKey;
}
const ready = new WeakMap<Deps, LRUCache<string, Ready>>();

/**
 * The public key of a stored credential, ready to verify with: to read one costs more than the signature that it is read for. What is
 * kept goes by the bytes that are stored, so a key that was replaced is never used. It was read when it was enrolled, so it can be.
 */
export function readyKey(deps: Deps, credentialId: Buffer, bytes: Buffer): CoseKey {
  let kept = ready.get(deps);
  if (!kept) ready.set(deps, (kept = new LRUCache<string, Ready>({ max: MOST })));
  const name = credentialId.toString('latin1');
  const known = kept.get(name);
  if (known?.bytes.equals(bytes)) return known.key;
  const key = readCredentialKey(bytes)!;
  kept.set(name, { bytes: Buffer.from(bytes), key });
  return key;
}
