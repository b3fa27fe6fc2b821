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
  if (PHONE_PATTERN.test(typed)) return `+${typed.replace(/\D/g, '')}`;
  const parsed = parsePhoneNumberFromString(typed, country as CountryCode | undefined);
  return parsed?.isPossible() && !parsed.ext ? parsed.number : undefined;
}
