import { acceptedLanguage, say as sayIn, type Catalogue, type Facts, type Language } from '@nimble-latch/api';
import { en as sharedEnglish } from '@nimble-latch/api/messages/en';
import { en } from './en.js';
import type { Words } from './words.js';

/** Languages by their own names. */
export const LANGUAGE_NAMES: Readonly<Record<Language, string>> = { en: 'English', de: 'Deutsch' };

const KEPT = 'nimble-latch.language';
/** What was chosen here; else what the browser asks for. */
export const language: Language = acceptedLanguage(localStorage.getItem(KEPT) ?? navigator.languages.join(','));

/** Shows the console in another language from now on, in this browser. The page is read anew; its address stays. */
export function changeLanguage(next: Language): void {
  localStorage.setItem(KEPT, next);
  window.location.reload();
}

/** The words of a catalogue in the language that is shown; another than English is loaded when it is. */
export const inLanguage = async <T>(english: T, german: () => Promise<Words<T>>): Promise<Words<T>> =>
  language === 'de' ? await german() : (english as Words<T>);

/** What the frame says. */
export const words = await inLanguage(en, async () => (await import('./de.js')).de);
/** A sentence with its facts, in the language that is shown. */
export const say = (sentence: string, facts?: Facts): string => sayIn(sentence, facts, language);
/** The words that all parts of the product share. */
export const shared: Catalogue = await inLanguage(
  sharedEnglish,
  async () => (await import('@nimble-latch/api/messages/de')).de,
);
/** How dates and times are written; English by day, month, year. */
export const locale = language === 'en' ? 'en-GB' : language;

/** A number with so many places behind the point, which is a comma elsewhere. */
export const decimal = (value: number, places: number): string =>
  value.toLocaleString(locale, { minimumFractionDigits: places, maximumFractionDigits: places });
