/**
 * What comes of a secret that was opened, at once; its bytes are overwritten behind that, whatever became of it, so that they stand in
 * memory no longer than they are used. Texts cannot be overwritten here: docs/security.md says which secrets are texts for a while.
 *
 * @param use must not keep the bytes, nor wait
 */
export function wiped<T>(secret: Uint8Array, use: (secret: Uint8Array) => T): T {
  try {
    return use(secret);
  } finally {
    secret.fill(0);
  }
}
