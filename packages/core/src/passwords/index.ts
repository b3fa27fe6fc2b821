/** NIST SP 800-63B-4 §3.1.1.2 asks for 15 where a password stands alone and 8 beside a second factor; we stand between. */
export const PASSWORD_MIN = 12;
/** At least 64 must be allowed there; the upper end keeps hashing bounded. */
export const PASSWORD_MAX = 256;

/**
 * The form in which a password is hashed and compared: Unicode NFKC, as the same section advises, so that the same
 * keys pressed on two keyboards give the same bytes. Nothing is trimmed or folded otherwise.
 */
export function preparePassword(typed: string): string {
  return typed.normalize('NFKC');
}

/** Why a new password is not good enough, or undefined. Counts characters as people see them, not bytes. */
export function weaknessOf(
  password: string,
  loginNames: readonly string[],
): 'too-short' | 'too-long' | 'own-name' | 'one-character' | undefined {
  const prepared = preparePassword(password);
  const length = [...prepared].length;
  if (length < PASSWORD_MIN) return 'too-short';
  if (length > PASSWORD_MAX) return 'too-long';
  if (new Set(prepared).size === 1) return 'one-character';
  if (loginNames.some((name) => prepared.toLowerCase() === name)) return 'own-name';
  return undefined;
}
