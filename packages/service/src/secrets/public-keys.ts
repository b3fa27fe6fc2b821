import { readCredentialKey, type CoseKey } from '@nimble-latch/core/webauthn';

/** Keys kept ready; those that were used longest ago go first. */
const MOST = 2_000;

/**
 * Public keys of credentials, ready to verify with: to read one costs more than the signature that it is read for. What is kept goes by
 * the bytes that are stored, so a key that was replaced is never used.
 */
export class PublicKeys {
  readonly #kept = new Map<string, { readonly bytes: Buffer; readonly key: CoseKey }>();

  /** The key of a stored credential; it was read when it was enrolled, so it can be. */
  of(credentialId: Buffer, bytes: Buffer): CoseKey {
    const name = credentialId.toString('latin1');
    const known = this.#kept.get(name);
    if (known?.bytes.equals(bytes)) {
      // The order of a map is that of its insertions.
      this.#kept.delete(name);
      this.#kept.set(name, known);
      return known.key;
    }
    const key = readCredentialKey(bytes)!;
    this.#kept.set(name, { bytes: Buffer.from(bytes), key });
    if (this.#kept.size > MOST) this.#kept.delete(this.#kept.keys().next().value!);
    return key;
  }
}
