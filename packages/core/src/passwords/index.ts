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

/** Words that no password may be, or be made of with little around it: common passwords, and names that belong here. */
export interface Blocked {
  readonly common: ReadonlySet<string>;
  /** Lower case: the organisation's name and what it has listed. */
  readonly words: readonly string[];
}

export type Weakness = 'too-short' | 'too-long' | 'own-name' | 'one-character' | 'blocked';

/** What a new password is judged by. */
export interface PasswordRules {
  readonly loginNames: readonly string[];
  /** Characters at least. */
  readonly least?: number;
  readonly blocked?: Blocked;
}

/**
 * Whether a password is one of a list, as NIST SP 800-63B-4 §3.1.1.2 asks: as it stands, or with digits and punctuation
 * before and after it (`Wexmoor2026!!` is `wexmoor`), or two of them together, or one several times over. Words inside a longer phrase are no matter.
 */
export function isBlocked(prepared: string, { common, words }: Blocked): boolean {
  const lower = prepared.toLowerCase();
  const bare = lower.replace(/^[^\p{L}]+|[^\p{L}]+$/gu, '');
  const once = /^(.+?)\1+$/u.exec(bare)?.[1] ?? bare;
  const known = (text: string) => common.has(text) || words.includes(text);
  if ([lower, bare, once].some((text) => text !== '' && known(text))) return true;
  for (let at = 1; at < lower.length; at++) if (known(lower.slice(0, at)) && known(lower.slice(at))) return true;
  return false;
}

/** Why a new password is not good enough, or undefined. Counts characters as people see them, not bytes. */
export function weaknessOf(
  password: string,
  { loginNames, least = PASSWORD_MIN, blocked }: PasswordRules,
): Weakness | undefined {
  const prepared = preparePassword(password);
  const length = [...prepared].length;
  if (length < least) return 'too-short';
  if (length > PASSWORD_MAX) return 'too-long';
  if (new Set(prepared).size === 1) return 'one-character';
  if (loginNames.some((name) => prepared.toLowerCase() === name)) return 'own-name';
  if (blocked && isBlocked(prepared, blocked)) return 'blocked';
  return undefined;
}
