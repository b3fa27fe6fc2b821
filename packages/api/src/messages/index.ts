import { en, type Catalogue } from './en.js';

export type { Catalogue } from './en.js';

/** Languages that ship. */
export const LANGUAGES = { en } satisfies Record<string, Catalogue>;
export type Language = keyof typeof LANGUAGES;

/** The catalogue for a language tag, by its first part; English where there is none. */
export function catalogue(language: string): Catalogue {
  const primary = language.split('-')[0]!;
  return Object.hasOwn(LANGUAGES, primary) ? LANGUAGES[primary as Language] : en;
}

/** Puts facts into a sentence; a fact that is missing leaves its name in braces, which a test looks for. */
export function say(sentence: string, facts: Readonly<Record<string, string | number | boolean>> = {}): string {
  return sentence.replace(/\{(\w+)\}/g, (whole, name: string) =>
    Object.hasOwn(facts, name) ? String(facts[name]) : whole,
  );
}
