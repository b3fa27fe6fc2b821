import type { LoginNameKind } from '../vocabulary.js';

/** Longest login name, in characters after normalising. */
export const LOGIN_NAME_MAX = 190;

/** A login name in its normal form. */
export interface LoginName {
  readonly value: string;
  readonly kind: LoginNameKind;
}

/**
 * The one rule by which two spellings are the same login name.
 *
 * 1. Unicode NFKC: full-width and compatibility forms fold into the plain ones.
 * 2. Spaces around it go; inside, any white space, control or invisible formatting character is refused.
 * 3. Lower case (Unicode default case conversion, no locale).
 * 4. NFC once more, since lower-casing can leave combining marks.
 *
 * Suffixes are not guessed away: `ines` and `ines@wexmoor.example` are two names, and a person may have both.
 *
 * @returns the normal form and the kind its shape shows, or where the name is wrong
 */
export function normaliseLoginName(
  typed: string,
): ({ ok: true } & LoginName) | { ok: false; why: 'empty' | 'too-long' | 'character' | 'shape' } {
  const value = typed.normalize('NFKC').trim().toLowerCase().normalize('NFC');
  if (value === '') return { ok: false, why: 'empty' };
  if ([...value].length > LOGIN_NAME_MAX) return { ok: false, why: 'too-long' };
  if (/[\p{White_Space}\p{Cc}\p{Cf}\p{Cs}\p{Co}\p{Cn}\p{Default_Ignorable_Code_Point}]/u.test(value))
    return { ok: false, why: 'character' };
  const kind = kindOf(value);
  return kind ? { ok: true, value, kind } : { ok: false, why: 'shape' };
}

/** Each separator may stand once, between two parts that are not empty. */
function kindOf(value: string): LoginNameKind | undefined {
  const separators = [...value].filter((c) => c === '@' || c === '\\' || c === ':');
  if (separators.length === 0) return 'plain';
  if (separators.length > 1) return undefined;
  const separator = separators[0]!;
  const [left, right] = value.split(separator);
  if (!left || !right) return undefined;
  return separator === '@' ? 'mail' : separator === '\\' ? 'domain' : 'host';
}
