import { acceptedLanguage, say as sayIn, type Catalogue, type Facts, type Language } from '@nimble-latch/api';
import { en as sharedEnglish } from '@nimble-latch/api/messages/en';
import { en } from './en.js';
import type { Words } from '../../frame/messages/words.js';

export const LANGUAGE_NAMES: Readonly<Record<Language, string>> = { en: 'English', de: 'Deutsch' };

export const LANGUAGE_IDS = Object.keys(LANGUAGE_NAMES) as Language[];

const KEPT = 'nimble-latch.language';
/** What was chosen in this browser; else what the application asked for; else what the browser asks for. */
export const language: Language = acceptedLanguage(
  localStorage.getItem(KEPT) ??
    new URLSearchParams(window.location.search).get('language') ??
    navigator.languages.join(','),
);

/** Shows the pages in another language from now on, in this browser. What was begun goes on. */
export function changeLanguage(next: Language): void {
  localStorage.setItem(KEPT, next);
  window.location.reload();
}

const german = language === 'de';
export const words: Words<typeof en> = german ? (await import('./de.js')).de : en;
/** A sentence with its facts, in the language that is shown. */
export const say = (sentence: string, facts?: Facts): string => sayIn(sentence, facts, language);
/** The words that all parts of the product share. */
export const shared: Catalogue = german ? (await import('@nimble-latch/api/messages/de')).de : sharedEnglish;
export const locale = language === 'en' ? 'en-GB' : language;

/** A moment as people write it. */
export const moment = (at: string): string =>
  new Date(at).toLocaleString(locale, { dateStyle: 'medium', timeStyle: 'short' });
