import { getCountries, parsePhoneNumberFromString, type CountryCode } from 'libphonenumber-js';
import { PHONE_PATTERN } from '../people/fields.js';

/** Whether this is the ISO 3166-1 code of a country with phone numbers of its own. */
export const isCountry = (code: string): boolean => (getCountries() as readonly string[]).includes(code);

/**
 * A phone number in E.164 form, `+442079460018`.
 *
 * @param country ISO 3166-1 code that numbers without a country's prefix belong to; without one they are refused
 * @returns undefined for what is no number of any country
 */
export function readPhone(typed: string, country?: string): string | undefined {
  // +44 (0)20 …: the zero is for callers within the country, and no part of the number from outside (ITU-T E.123 §3).
  const number = typed.replace(/^(\+\d[\d ]{0,3})\s*\(0\)/, '$1 ');
  if (PHONE_PATTERN.test(number)) return `+${number.replace(/\D/g, '')}`;
  const parsed = parsePhoneNumberFromString(number, country as CountryCode | undefined);
  return parsed?.isPossible() && !parsed.ext ? parsed.number : undefined;
}
